"""Fleet: who needs me?"""

from datetime import UTC, datetime

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.fleet import fleet_page
from brave_bridge.workbench.pages.page import Page


class FleetWorkspace(Workspace):
    """All machines, a bridge each."""

    KEY, NAME, WORDS = "1", "fleet", "Fleet"

    def page(self, record, harbour) -> Page:
        return fleet_page(harbour.records(), datetime.now(UTC).date())
