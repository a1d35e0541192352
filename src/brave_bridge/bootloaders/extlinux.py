"""Menus of the extlinux kind: read by the loader of that name, or by a board's firmware."""

from brave_bridge.bootloaders import extlinux_writing
from brave_bridge.bootloaders.loader import BootLoader, Once
from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.extlinux import MENU, read_extlinux
from brave_bridge.core.boot.extlinux_trial import read_once
from brave_bridge.core.boot.loader_faults import CHOICE
from brave_bridge.core.boot.trial_way import TrialWay, comes_back, never_once
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Seen

OWN_DATA = "extlinux's own data"


class Extlinux(BootLoader):
    """The loader extlinux; where nothing of it is there, the firmware reads its menu itself."""

    kind = called = "extlinux"
    queries = extlinux_writing.QUERIES

    def is_there(self, seen: Seen) -> bool:
        return bool(seen.text(MENU))

    def read(self, seen: Seen) -> Loader:
        menu = read_extlinux(seen.text(MENU) or "", extlinux_writing.texts_beside(seen.contents))
        first = menu.entries[0].id if menu.entries else ""
        named = menu.default or first
        words = f"{named} is to be booted, and the menu has no such entry"
        is_there = any(entry.id == named for entry in menu.entries)
        once = read_once(seen.contents.get(extlinux_writing.LOADER, b""))
        return Loader(
            self.kind,
            menu.entries,
            named,
            once.partition(" ")[0] if once else "",
            # The menu's own file, where firmware reads it and not the loader of that name.
            MENU if once is None else extlinux_writing.LOADER,
            () if is_there else (LoaderFault(CHOICE, words, next_boot=True),),
            told_by=extlinux_writing.tool_in(seen),
        )

    def way(self, facts: Facts) -> TrialWay:
        if facts.loader.remembers != extlinux_writing.LOADER:
            return never_once("firmware that reads an extlinux menu")
        if facts.loader.told_by:
            return comes_back(self.called, OWN_DATA)
        return TrialWay(
            refusal="what it boots once is written by its own program, which is not here",
            instead=("install the package extlinux",),
        )

    def menu_words(self, firmware: str) -> str:
        return "Switch on and hold Shift or Alt until the boot prompt comes."

    def arm(self, machine: Machine, facts: Facts, once: Once) -> str:
        tool = facts.loader.told_by
        return extlinux_writing.arm(machine, tool, once.chosen, once.good, once.name)

    def disarm(self, machine: Machine) -> bool:
        return extlinux_writing.disarm(machine)

    def pin(self, machine: Machine, entry: BootEntry) -> str:
        return extlinux_writing.pin(machine, entry)
