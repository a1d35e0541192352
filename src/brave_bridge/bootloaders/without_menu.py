"""What boots without a menu that could be read: a board's firmware, and systems by themselves."""

from brave_bridge.bootloaders.loader import BootLoader
from brave_bridge.core.boot.entries import OWN, SLOTS
from brave_bridge.core.boot.trial_way import TrialWay, never_once
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.queries import Contents, Names, Seen

_CONFIGS = ("/boot/firmware/config.txt", "/boot/config.txt")
_OPTIONS = ("/boot/firmware/cmdline.txt", "/boot/cmdline.txt")
BOARD_FILES = (*_CONFIGS, *_OPTIONS)
"""What a small board's firmware reads."""


class Board(BootLoader):
    """A small board: its firmware starts the kernel that its settings name."""

    kind, called = "board", "the board's own"
    settings = BOARD_FILES
    queries = (Names(_CONFIGS), Contents(_OPTIONS))

    def is_there(self, seen: Seen) -> bool:
        return any(path in seen.found for path in _CONFIGS)

    def options(self, seen: Seen) -> str:
        return next((words for path in _OPTIONS if (words := seen.word(path))), "")

    def way(self, facts: Facts) -> TrialWay:
        return never_once("this board's firmware")

    def menu_words(self, firmware: str) -> str:
        return (
            "A board has no menu: put its card into another computer and change the file "
            "config.txt on its first partition."
        )


class Slots(BootLoader):
    """A system in slots of whole images; its family reads them, and tries them."""

    kind, called = SLOTS, "the slots' own"

    def way(self, facts: Facts) -> TrialWay:
        return TrialWay(
            refusal="it tries whole images, and no kernel by itself",
            instead=("take a leg: the slot that it is written into is tried once",),
        )


class OfTheSystem(BootLoader):
    """A loader that is a part of its system, and has no menu that could be read."""

    kind, called = OWN, "the system's own"

    def way(self, facts: Facts) -> TrialWay:
        return TrialWay(
            refusal="the system starts its kernel by itself, and tells nobody how",
            instead=("take a leg: the system goes back by itself where it does not come up",),
        )
