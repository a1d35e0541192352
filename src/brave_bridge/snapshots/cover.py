"""What a snapshot covers: include and exclude rules as data, each with its reason."""

from collections.abc import Iterable
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.machines.port import STATE_FOLDER

STAGING = ".brave-bridge-return"
"""Where a return is prepared: in the root folder, so that renames never leave its subvolume."""


class Exclusion(msgspec.Struct, frozen=True):
    """A path below the root that is left out, and why; without a reason it is not told."""

    path: str
    reason: str


_ALWAYS = (
    Exclusion("home", "home folders stay as they are; back them up yourself"),
    Exclusion(STATE_FOLDER.lstrip("/"), "the logbook and the snapshots themselves"),
    Exclusion(STAGING, ""),
)
_RUNNING = (
    Exclusion("tmp", "belongs to running programs"),
    Exclusion("var/tmp", "belongs to running programs"),
    Exclusion("run", "belongs to running programs"),
    Exclusion("proc", "the kernel's"),
    Exclusion("sys", "the kernel's"),
    Exclusion("dev", "the kernel's"),
)

HOME_SENTENCE = "Home folders (/home) are not part of a snapshot."


class Cover(msgspec.Struct, frozen=True):
    """All of the root file system except the excluded folders.

    Other file systems that are mounted below it are never covered.
    """

    exclusions: tuple[Exclusion, ...]

    def leaves_out(self, path: bytes) -> bool:
        """Whether ``path`` (relative, no leading /) and all below it is left out."""
        text = path.decode("utf-8", "surrogateescape")
        return any(fnmatchcase(text, exclusion.path) for exclusion in self.exclusions)

    @property
    def sentences(self) -> tuple[str, ...]:
        """What is left out and why, a line each."""
        return tuple(f"/{left.path}: {left.reason}" for left in self.exclusions if left.reason)


def cover_for(kind: str, more: Iterable[Exclusion] = ()) -> Cover:
    """The cover of a machine of that kind (``running``, ``tree``, ``stand-in``)."""
    return Cover(_ALWAYS + (() if kind == "tree" else _RUNNING) + tuple(more))
