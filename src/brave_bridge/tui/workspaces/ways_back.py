"""Ways back: can I return, and at what price?"""

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.pages.ways_back import ways_back_page


class WaysBackWorkspace(Workspace):
    """The snapshots."""

    KEY, NAME, WORDS = "7", "ways_back", "Ways back"
    BINDINGS = [Binding("b", "app.snapshot", "take a snapshot")]

    def page(self, record, harbour) -> Page:
        return ways_back_page(record)
