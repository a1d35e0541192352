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
    secure_start: bool = False
    """Whether the firmware must start signed systems alone."""
    disk_mib: int = 0
    """How large the file system that holds the system must be."""
    merged_usr: bool = False
    """Whether it has /bin, /sbin and /lib in /usr, and merges what is not."""
    below: str = ""
    """What a machine below these conditions has to expect, where it is taken there all the same."""

    def with_price(self, remedy: str) -> str:
        """What to do, and what it would mean to let the condition be."""
        return f"{remedy} Overruled: {self.below}." if self.below else remedy


FULL, SECURITY, LONG_TERM, PAID = "full", "security", "long-term", "paid"
PHASE_WORDS = {
    FULL: "full support",
    SECURITY: "security fixes alone",
    LONG_TERM: "long-term support: security fixes by others, for chosen packages",
    PAID: "fixes for those alone who pay",
}


class SupportPhase(msgspec.Struct, frozen=True):
    """A stretch of a release's support; ``kind`` is one of PHASE_WORDS, ``ends`` its last day."""

    kind: str
    ends: date

    @property
    def words(self) -> str:
        """What is had in it."""
        return PHASE_WORDS.get(self.kind, self.kind)


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


class SettingSign(msgspec.Struct, frozen=True):
    """Lines of config files that show something: ``has`` is a regular expression of one line.

    ``path`` is a shell pattern; comments (from ``#`` on) are no lines.
    """

    path: str
    has: str = "."


class KnownIssue(msgspec.Struct, frozen=True):
    """Something known about a leg, in our own words.

    ``severity``: ``note``, ``caution``, or ``wait`` (do not cross until it is lifted).
    The issue concerns a machine that shows all the signs that are given, and every machine where
    none is: ``packages`` are shell patterns of names, of which one is installed; of ``settings``
    and ``files`` (patterns of paths) one is there; one of ``file_systems`` is mounted or
    expected; ``units`` are patterns of services that are there; ``devices`` of modaliases;
    ``boots_with`` is a regular expression of the kernel's command line. ``page`` names the
    vendor's page, ``source`` where it was seen, and ``checked`` the day on which that was held
    against the packages themselves; without one it was not.
    """

    id: str
    title: str
    text: str = ""
    workaround: str = ""
    severity: str = "caution"
    packages: tuple[str, ...] = ()
    settings: tuple[SettingSign, ...] = ()
    files: tuple[str, ...] = ()
    file_systems: tuple[str, ...] = ()
    units: tuple[str, ...] = ()
    devices: tuple[str, ...] = ()
    boots_with: str = ""
    page: str = ""
    source: str = ""
    checked: date | None = None
