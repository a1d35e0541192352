"""What a release needs, what it knows, and what is known about a leg: the catalogue's details."""

from datetime import date
from fnmatch import fnmatchcase

import msgspec


class Needs(msgspec.Struct, frozen=True):
    """What a release needs of a machine. Empty texts, 0 and False mean: nothing beyond before.

    ``processor`` is a level (``x86-64-v2``), ``firmware`` is ``efi``; ``architectures`` lists
    the package manager's words for those it exists for, empty where that is not told.
    """

    processor: str = ""
    memory_mib: int = 0
    firmware: str = ""
    security_chip: bool = False
    architectures: tuple[str, ...] = ()
    session_types: tuple[str, ...] = ()
    """The session types that it still offers (``wayland``, ``x11``), empty where not told."""


class KnownDevice(msgspec.Struct, frozen=True):
    """A device that this release is the first to drive. ``modalias`` is a shell pattern."""

    modalias: str
    what: str


class KernelSeries(msgspec.Struct, frozen=True):
    """A kernel series and the day on which its fixes end."""

    series: str
    ends: date


class LegTask(msgspec.Struct, frozen=True):
    """A step of a leg that only a person can do; ``when`` is ``before`` or ``after`` it.

    ``packages`` are shell patterns of names, as in KnownIssue.
    """

    id: str
    text: str
    when: str = "before"
    packages: tuple[str, ...] = ()

    def key_in(self, leg: str) -> str:
        """What names it among what was decided."""
        return f"{leg}/{self.id}"

    def concerns(self, names: set[str]) -> bool:
        """Whether a machine with these packages has to do it."""
        wanted = self.packages
        return not wanted or any(fnmatchcase(n, pattern) for n in names for pattern in wanted)


class KnownIssue(msgspec.Struct, frozen=True):
    """Something known about a leg, in our own words.

    ``severity``: ``note``, ``caution``, or ``wait`` (do not cross until it is lifted).
    ``packages`` are shell patterns of names; the issue concerns a machine that has one of
    them installed, or every machine where there are none. ``page`` names the vendor's page.
    """

    id: str
    title: str
    text: str = ""
    workaround: str = ""
    severity: str = "caution"
    packages: tuple[str, ...] = ()
    page: str = ""

    def concerns(self, names: set[str]) -> tuple[str, ...]:
        """The installed packages that it is about."""
        return tuple(
            sorted(n for n in names if any(fnmatchcase(n, pattern) for pattern in self.packages))
        )
