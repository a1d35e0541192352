"""Plan: what will change?"""

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.pages.plan import plan_page


class PlanWorkspace(Workspace):
    """The change list and the questions answered ahead."""

    KEY, NAME, WORDS = "4", "plan", "Plan"
    BINDINGS = [Binding("p", "app.plan", "plan"), Binding("c", "app.cross", "cross")]

    def page(self, record, harbour) -> Page:
        return plan_page(record)
