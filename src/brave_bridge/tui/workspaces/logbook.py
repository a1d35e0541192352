"""Logbook: what happened?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class LogbookWorkspace(Workspace):
    """Every procedure with all its requests."""

    KEY, NAME, WORDS = "0", "logbook", "Logbook"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.logbook import logbook_page

        return logbook_page(record, harbour.opened(record.name))
