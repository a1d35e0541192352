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
    BINDINGS = [
        Binding("p", "app.plan", "plan"),
        Binding("c", "app.cross", "cross"),
        Binding("h", "app.wish('protect')", "hold on to it"),
        Binding("e", "app.wish('exclude')", "leave it alone"),
        Binding("l", "app.wish('let_go')", "let it go"),
        Binding("o", "app.order", "what counts first"),
        Binding("v", "app.look_at_config", "three versions"),
        Binding("r", "app.wish('remove')", "let it be removed"),
        Binding("k", "app.policy", "keep as policy"),
        Binding("K", "app.policies", "policies"),
    ]

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.plan import plan_page
        from brave_bridge.workbench.roles import known_roles

        return plan_page(record, known_roles(), harbour.unfolded(record.name))
