"""The harbour: the machines that the screen knows, and what was read of each.

Reading and doing happen in threads; one lock a machine keeps them apart. Nothing heavy
is imported before the first paint.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.members import FleetMember
    from brave_bridge.workbench.record import MachineRecord


class Harbour:
    """The fleet's machines in their order, and the one the person looks at."""

    def __init__(self, words: tuple[str, ...], *, demo: bool) -> None:
        self.words = words
        self.demo = demo or (bool(words) and words[0] == "--demo")
        self.station = "Brave Bridge"
        self.current = words[1] if self.demo and words else ""
        self._members: dict[str, FleetMember] = {}
        self._records: dict[str, MachineRecord] = {}
        self._goals: dict[str, str] = {}
        self._opened: dict[str, dict[str, tuple]] = {}
        self._folds: dict[str, frozenset[str]] = {}
        self._desks: dict[str, Desk] = {}
        self._locks: dict[str, threading.RLock] = {}

    def load(self, *, fresh: bool, tell: Callable[[str], None]) -> list[str]:
        """Find the machines (building the demo fleet if need be); their names. For a thread."""
        from brave_bridge.workbench.members import fleet_members
        from brave_bridge.workbench.record import MachineRecord

        if self.demo:
            from brave_bridge.workbench.demo import build_demo, demo_folder

            build_demo(demo_folder(), fresh=fresh, tell=tell)
        self.station, members = fleet_members(self.words, demo=self.demo)
        for member in members:
            self._members[member.name] = member
            self._locks[member.name] = threading.RLock()
            self._records[member.name] = MachineRecord(
                name=member.name,
                about=member.about,
                words=member.target.words,
            )
        if self.current not in self._members and members:
            self.current = members[0].name
        return [member.name for member in members]

    def read(self, name: str) -> MachineRecord:
        """Read a machine anew. For a thread."""
        from brave_bridge.workbench.reading import read_machine

        with self._locks[name]:
            return read_machine(self._members[name], self._goals.get(name, ""))

    def remember(self, name: str) -> None:
        """Keep what the last survey of a machine found, to hold the next one against it."""
        from brave_bridge.workbench.surveying import remember

        record = self._records[name]
        if record.surveyed is not None:
            remember(self._members[name].target, record.surveyed)

    def read_live(self, name: str) -> MachineRecord:
        """Read only how the procedure of a machine stands. For a thread."""
        from brave_bridge.workbench.reading import watch_machine

        return watch_machine(self.desk(name), self._records[name])

    def desk(self, name: str) -> Desk:
        """The desk of a machine. For a thread."""
        from brave_bridge.workbench.desk import Desk

        with self._locks[name]:
            if name not in self._desks:
                self._desks[name] = Desk(self._members[name].target)
            return self._desks[name]

    def do(self, name: str, deed: Callable[[Desk], Any]) -> Any:
        """Do something at a machine's desk, one at a time. For a thread."""
        with self._locks[name]:
            return deed(self.desk(name))

    def keep(self, record: MachineRecord) -> None:
        """Take over what was read."""
        self._records[record.name] = record

    def record(self, name: str = "") -> MachineRecord | None:
        """What is known of a machine, by default the current one."""
        return self._records.get(name or self.current)

    def records(self) -> list[MachineRecord]:
        """All machines in their order."""
        return list(self._records.values())

    def turn_to_who_waits(self) -> bool:
        """Make the first machine that waits for an answer the current one; whether it was not."""
        waiting = [r.name for r in self.records() if r.live is not None and r.live.asked]
        if not waiting or self.current in waiting:
            return False
        self.current = waiting[0]
        return True

    def step(self, by: int) -> None:
        """Make the next or the one before the current machine."""
        names = list(self._records)
        if names:
            self.current = names[(names.index(self.current) + by) % len(names)]

    def set_goal(self, name: str, release: str) -> None:
        """Remember the release that the person wants a machine to reach."""
        self._goals[name] = release

    def goal(self, name: str) -> str:
        """The release chosen for a machine, or the one offered; empty where there is none."""
        record = self._records.get(name)
        offered = record.goal.key if record and record.goal else ""
        return self._goals.get(name, offered)

    def unfolded(self, name: str) -> frozenset[str]:
        """The folds of a machine's plan that are open."""
        return self._folds.get(name, frozenset())

    def toggle_fold(self, key: str) -> None:
        """Open or close a fold of the current machine's plan."""
        self._folds[self.current] = self.unfolded(self.current) ^ {key}

    def opened(self, name: str) -> dict[str, tuple]:
        """The procedures of a machine that are opened in the logbook, with their entries."""
        return dict(self._opened.get(name, {}))

    def toggle(self, name: str, procedure: str) -> None:
        """Open or close a procedure in the logbook. For a thread."""
        opened = self._opened.setdefault(name, {})
        if opened.pop(procedure, None) is None:
            opened[procedure] = tuple(self.desk(name).logbook().entries(procedure))
