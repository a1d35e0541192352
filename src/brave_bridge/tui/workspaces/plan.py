"""Plan: what will change?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class PlanWorkspace(Workspace):
    """The change list and the questions answered ahead."""

    KEY, NAME, WORDS = "4", "plan", "Plan"
    BINDINGS = [Binding("p", "app.plan", "plan"), Binding("c", "app.cross", "cross")]

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.plan import plan_page

        return plan_page(record)
