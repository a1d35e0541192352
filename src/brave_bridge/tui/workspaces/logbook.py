"""Logbook: what happened?"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Page, Row
    from brave_bridge.workbench.record import MachineRecord


class LogbookWorkspace(Workspace):
    """Every procedure with all its requests."""

    KEY, NAME, WORDS = "0", "logbook", "Logbook"
    CHOSEN = {"expand": "expand_procedure"}
    ENTER = "open or close"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.logbook import logbook_page

        return logbook_page(record, harbour.opened(record.name))

    def expand_procedure(self, row: Row) -> None:
        """Open or close a procedure."""
        name = self.app.harbour.current
        self.do(name, "opening", lambda desk: self.app.harbour.toggle(name, row.key))

    def export(self, desk: Desk, record: MachineRecord, folder: Path) -> list[Path]:
        """See Workspace."""
        from brave_bridge.workbench.papers.export import export_logbook

        return [*super().export(desk, record, folder), *export_logbook(desk, folder)]
