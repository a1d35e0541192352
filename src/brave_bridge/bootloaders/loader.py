"""What every boot loader can do: be read, boot once, keep a choice, offer past systems."""

from collections.abc import Sequence

import msgspec

from brave_bridge.core.boot.entries import BootEntry, Loader
from brave_bridge.core.boot.past_entry import PastSystem, template_for
from brave_bridge.core.boot.trial_way import TrialWay
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Query, Seen


class Once(msgspec.Struct, frozen=True):
    """What is booted once: its entry, the good one of every other boot, and the trial's name."""

    chosen: BootEntry
    good: BootEntry
    name: str


class BootLoader:
    """A kind of boot loader, with all that it can do; as it stands here: none that is known.

    A new one is a file with such an object, and its test; what it cannot do it leaves as it is.
    """

    kind = ""
    """What ``Loader.kind`` calls it."""

    called = "not known"
    """What people call it."""

    queries: tuple[Query, ...] = ()
    """What it is read from."""

    settings: tuple[str, ...] = ()
    """The files, or folders ending in a slash, in which people change what it starts with."""

    kernels_beside_menu = False
    """Whether its menu stands where its kernels do, so that one is there when the other is."""

    offers_past = False
    """Whether its menu can be added to, for past systems."""

    def is_there(self, seen: Seen) -> bool:
        """Whether what was seen is this loader's."""
        return False

    def read(self, seen: Seen) -> Loader:
        """The loader with its entries, and what of its own files does not fit together."""
        return Loader(self.kind)

    def options(self, seen: Seen) -> str:
        """The kernel's options as its settings ask for them; empty where they do not."""
        return ""

    def way(self, facts: Facts) -> TrialWay:
        """How it boots something once on that machine; a refusal where it cannot."""
        return TrialWay(
            refusal="no boot loader is known here",
            instead=("look whether the boot partition is mounted",),
        )

    def menu_words(self, firmware: str) -> str:
        """How its menu is reached at the console, in a sentence.

        ``firmware`` is ``efi``, ``bios``, ``board`` or empty.
        """
        place = "the firmware's boot menu" if firmware == "efi" else "the computer's boot menu"
        return f"Switch on and open {place} (often F8, F11, F12 or Esc); the loader is not known."

    def arm(self, machine: Machine, facts: Facts, once: Once) -> str:
        """Have that booted once; what was written. Only where ``way`` refuses nothing.

        What makes it the next boot is written last: until then every boot takes the good one.
        """
        raise NotImplementedError

    def disarm(self, machine: Machine) -> bool:
        """Take a trial out again; whether there was one. The loader's own default holds then."""
        return False

    def pin(self, machine: Machine, entry: BootEntry) -> str:
        """Have an entry booted from now on; the file that says so. MachineError."""
        attempted = f"making {entry.title} the default"
        seen = "nothing here tells its boot loader what to boot"
        raise MachineError(attempted, machine.name, seen)

    def template_of(self, own: tuple[BootEntry, ...], past: PastSystem) -> BootEntry | None:
        """Which of the machine's own entries a past system's is made after; None: none serves."""
        return template_for(past, own)

    def offer_past(self, machine: Machine, offered: Sequence[tuple[PastSystem, BootEntry]]) -> str:
        """Have the menu offer these past systems and no others, each made after an entry.

        Where that stands. MachineError; ValueError where a name is no plain word.
        """
        if offered:
            seen = "its boot loader is none whose menu can be added to"
            raise MachineError("offering a past system", machine.name, seen)
        return ""
