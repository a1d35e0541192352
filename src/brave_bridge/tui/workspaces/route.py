"""Route: which way, and why not straight?"""

from datetime import UTC, datetime

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.pages.route import route_page


class RouteWorkspace(Workspace):
    """Every later release, and the way there."""

    KEY, NAME, WORDS = "3", "route", "Route"
    BINDINGS = [Binding("p", "app.plan", "plan")]

    def page(self, record, harbour) -> Page:
        return route_page(record, datetime.now(UTC).date())
