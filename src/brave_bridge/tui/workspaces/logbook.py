"""Logbook: what happened?"""

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.logbook import logbook_page
from brave_bridge.workbench.pages.page import Page


class LogbookWorkspace(Workspace):
    """Every procedure with all its requests."""

    KEY, NAME, WORDS = "0", "logbook", "Logbook"

    def page(self, record, harbour) -> Page:
        return logbook_page(record, harbour.opened(record.name))
