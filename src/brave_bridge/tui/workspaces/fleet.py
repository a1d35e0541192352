"""Fleet: who needs me?"""

from __future__ import annotations

from datetime import UTC, date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from brave_bridge.tui.actions import Action
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Page, Row
    from brave_bridge.workbench.record import MachineRecord


class FleetWorkspace(Workspace):
    """All machines, a bridge each."""

    KEY, NAME, WORDS = "1", "fleet", "Fleet"
    ACTIONS = (
        Action("reorder", "o", "another order", "Sort the machines by something else"),
        Action("picture", "p", "another picture", "See support over time, or topics by machines"),
    )
    CHOSEN = {"open": "open_machine"}
    ENTER = "open"

    def __init__(self) -> None:
        super().__init__()
        self._order = self._picture = ""
        self._made: dict[str, tuple[MachineRecord, date, Row]] = {}

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.fleet import ORDERS, fleet_page

        self._order = self._order or next(iter(ORDERS))
        today = datetime.now(UTC).date()
        return fleet_page(harbour.records(), today, self._order, self._row, self._picture)

    def _row(self, record: MachineRecord, today: date) -> Row:
        """The row of a machine, made anew only where its record or the day is another."""
        from brave_bridge.workbench.pages.fleet import fleet_row

        known = self._made.get(record.name)
        if known is not None and known[0] is record and known[1] == today:
            return known[2]
        row = fleet_row(record, today)
        self._made[record.name] = (record, today, row)
        return row

    def follow(self, machine: str) -> None:
        """See Workspace."""
        self.ledger.point_at(machine)

    def open_machine(self, row: Row) -> None:
        """Go on with a machine."""
        self.app.harbour.current = row.key
        self.app.go_to("survey")

    def action_reorder(self) -> None:
        """Sort the machines by the next of the orders."""
        from brave_bridge.workbench.pages.fleet import ORDERS

        names = list(ORDERS)
        self._order = names[(names.index(self._order) + 1) % len(names)] if self._order else ""
        self.app.show_current()

    def action_picture(self) -> None:
        """See the next of the pictures above the list."""
        from brave_bridge.workbench.pages.fleet import PICTURES

        names = list(PICTURES)
        at = names.index(self._picture) if self._picture else 0
        self._picture = names[(at + 1) % len(names)]
        self.app.show_current()

    def export(self, desk: Desk, record: MachineRecord, folder: Path) -> list[Path]:
        """See Workspace; machines that are still being read are waited for."""
        from brave_bridge.workbench.papers.export import export_fleet

        harbour = self.app.harbour
        whole = (
            one if one.surveyed or one.fault else harbour.read(one.name)
            for one in harbour.records()
        )
        return export_fleet(harbour.station, whole, folder)
