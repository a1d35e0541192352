"""Route: which way, and why not straight?"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class RouteWorkspace(Workspace):
    """Every later release, and the way there."""

    KEY, NAME, WORDS = "3", "route", "Route"
    BINDINGS = [
        Binding("p", "app.plan", "plan"),
        Binding("i", "app.note", "field note"),
        Binding("y", "app.track", "change the track"),
    ]

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.route import route_page

        return route_page(record, datetime.now(UTC).date())
