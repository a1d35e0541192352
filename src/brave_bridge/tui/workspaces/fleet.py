"""Fleet: who needs me?"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class FleetWorkspace(Workspace):
    """All machines, a bridge each."""

    KEY, NAME, WORDS = "1", "fleet", "Fleet"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.fleet import fleet_page

        return fleet_page(harbour.records(), datetime.now(UTC).date())
