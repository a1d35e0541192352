"""Boot entries as data, whichever loader's files they stand in."""

import re

import msgspec

_KERNEL = re.compile(r"vmlinu[xz]-(\S+)$")


class BootEntry(msgspec.Struct, frozen=True):
    """An entry: its title (within a submenu: both, with ``>`` between) and its kernel's version.

    ``id`` is what its loader calls it; ``image``, ``initrds`` and ``options`` are as written
    there; ``where`` is the file that it stands in.
    """

    title: str
    kernel: str
    id: str = ""
    image: str = ""
    initrds: tuple[str, ...] = ()
    options: str = ""
    sort_key: str = ""
    where: str = ""

    def option(self, name: str) -> str:
        """The last value of a kernel option: ``root`` of ``root=UUID=…``; empty without one."""
        values = [
            value
            for word in self.options.split()
            for key, equals, value in (word.partition("="),)
            if key == name and equals
        ]
        return values[-1] if values else ""


class LoaderFault(msgspec.Struct, frozen=True):
    """Something of a loader's files that does not fit: of which ``kind``, in a sentence.

    ``next_boot``: what boots next is touched by it. ``kernel`` is the version concerned.
    ``mended_by`` is the command of the loader's own that mends it, empty where there is none.
    """

    kind: str
    words: str
    next_boot: bool = False
    kernel: str = ""
    mended_by: tuple[str, ...] = ()


OWN, SLOTS = "own", "slots"
"""The kinds of a loader that is a part of its system, and of one of whole images."""

OURS = "brave-bridge-"
"""How the ids of all entries begin that we bring."""

TRIAL_ID = f"{OURS}trial"
"""The id of what is on trial; the trade's entry files have ``.conf`` behind it."""


class Loader(msgspec.Struct, frozen=True):
    """A boot loader and its entries, in its own order.

    ``kind`` names one of those that are known, and is empty where none is there.
    ``default`` is what it is told to boot, ``once`` what it is told to boot next alone, both as
    it names entries; ``remembers`` is the file in which it keeps that, empty where it cannot.
    ``told_by`` is the file or program by which it can be told to boot something once, empty where
    there is none; ``remade_by`` the command that writes its menu anew.
    """

    kind: str = ""
    entries: tuple[BootEntry, ...] = ()
    default: str = ""
    once: str = ""
    remembers: str = ""
    faults: tuple[LoaderFault, ...] = ()
    told_by: str = ""
    remade_by: tuple[str, ...] = ()


def kernel_of(path: str) -> str:
    """The version in a kernel image's name; empty where there is none."""
    match = _KERNEL.search(path)
    return match[1] if match else ""


PAST_ID = f"{OURS}past-"
"""How the ids of the entries of past systems begin; the way back's id follows."""


def is_ours(identifier: str) -> bool:
    """Whether an entry is one that we brought: of a trial, or of a past system."""
    return identifier.startswith(OURS)


def is_trial(identifier: str) -> bool:
    """Whether an entry is what is on trial."""
    return identifier.removesuffix(".conf") == TRIAL_ID


def entry_for(entries: list[BootEntry], kernel: str) -> str:
    """The title of the first entry that boots a kernel version, recovery entries last."""
    fitting = [e.title for e in entries if e.kernel == kernel and not e.id.startswith(PAST_ID)]
    return min(fitting, key=lambda title: "recovery" in title.lower(), default="")
