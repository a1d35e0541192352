"""What a snapshot says of itself, and what is decided about it later.

``description.toml`` is written last: its presence says that the snapshot is whole.
``keeping.toml`` beside it changes: pinned, deadline, how it was verified.
"""

import re

import msgspec
import tomlkit

from brave_bridge.core.formats.decoding import decode_toml
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.engines.engine import Part, Use
from brave_bridge.snapshots.trees.cover import Cover, Exclusion

SNAPSHOT_ID = re.compile(r"^[a-z0-9][a-z0-9-]{0,79}$")
PART_FOLDER = re.compile(r"^[a-z0-9][a-z0-9._-]{0,120}$")
DESCRIPTION, KEEPING = "description.toml", "keeping.toml"
_LARGEST = 4_000_000


class About(msgspec.Struct, frozen=True, kw_only=True):
    """What a snapshot shall say of itself."""

    release: str
    reason: str
    leg: str = ""
    kernel: str = ""
    boot_entry: str = ""
    engine: str = ""
    """The engine that is asked for; empty for the one that suits best."""


class Snapshot(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A snapshot's own description. Times are ISO 8601 in UTC, sizes bytes."""

    format: int = 2
    id: str
    machine: str
    release: str
    created: str
    reason: str
    leg: str
    version: str
    kernel: str = ""
    """The kernel that ran when it was taken."""
    boot_entry: str = ""
    """The boot entry that goes with it, as the loader names it."""
    number: int = 0
    """Its place in the order in which they were taken; the clock may have been set since."""
    kept_in: str = ""
    """The folder that holds it where that is not the machine's own."""
    parts: tuple[Part, ...] = ()
    uncovered: tuple[str, ...] = ()
    """File systems that are not part of it, each ``path: why``."""
    exclusions: tuple[Exclusion, ...] = ()

    @property
    def order(self) -> tuple[int, str, str]:
        """What snapshots are sorted by, the oldest first."""
        return (self.number, self.created, self.id)

    @property
    def cover(self) -> Cover:
        """What it covers, as it was when it was taken."""
        return Cover(self.exclusions)

    @property
    def left_out(self) -> tuple[str, ...]:
        """What it leaves out and why, a line each."""
        return self.cover.sentences

    @property
    def engine(self) -> str:
        """The engines that made it, the root's first."""
        return " + ".join(dict.fromkeys(part.engine for part in self.parts))

    @property
    def entries(self) -> int:
        """How many paths it holds."""
        return sum(part.entries for part in self.parts)

    @property
    def bytes_covered(self) -> int:
        """The size of the files that it holds."""
        return sum(part.bytes_covered for part in self.parts)

    @property
    def bytes_copied(self) -> int:
        """What had to be copied to make it."""
        return sum(part.bytes_copied for part in self.parts)

    @property
    def checksum(self) -> str:
        """One hash that stands for all manifests: the root's, as a person compares it."""
        return self.parts[0].checksum if self.parts else ""

    def all_of(self, what: str) -> list[str]:
        """The paths of a list of every part (``vanished``, ``unstable``, ``sockets``)."""
        return [
            f"{part.mount.rstrip('/')}/{path}"
            for part in self.parts
            for path in getattr(part, what)
        ]


class Keeping(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What is decided about a snapshot, and how it was found when it was verified last."""

    pinned: bool = False
    pin_reason: str = ""
    deadline: str = ""
    """When it ends, empty where it does not."""
    deadline_reason: str = ""
    extendable: bool = True
    verified_at: str = ""
    faults: tuple[str, ...] = ()
    """What verifying found, the first of many."""


class Kept(msgspec.Struct, frozen=True, kw_only=True):
    """A snapshot as the catalogue lists it; ``fault`` says why it cannot be returned to."""

    snapshot: Snapshot
    keeping: Keeping = Keeping()
    fault: str = ""
    doubt: str = ""
    """Why what was decided about it is not known."""
    can_be_read: bool = True
    """Whether at most single files of it are damaged, so that the others can come back."""
    use: Use | None = None

    @property
    def is_whole(self) -> bool:
        """Whether it can be returned to, as far as is known."""
        return not self.fault


class Gone(msgspec.Struct, frozen=True, kw_only=True):
    """A way back that ended: when and why, and what it was."""

    id: str
    created: str
    release: str
    reason: str
    ended: str
    why: str
    freed: int = 0


def read_description(folder: Beneath) -> Snapshot:
    """A snapshot's description; OSError or ValueError where it is missing or damaged."""
    return decode_toml((folder / DESCRIPTION).read(_LARGEST), Snapshot)


def write_description(folder: Beneath, snapshot: Snapshot) -> None:
    """Write it last of all."""
    (folder / DESCRIPTION).write(tomlkit.dumps(msgspec.to_builtins(snapshot)).encode())


def read_keeping(folder: Beneath) -> Keeping:
    """What is decided about a snapshot; ValueError or OSError where that cannot be read."""
    try:
        return decode_toml((folder / KEEPING).read(_LARGEST), Keeping)
    except FileNotFoundError:
        return Keeping()


def write_keeping(folder: Beneath, keeping: Keeping) -> None:
    """Write it in place of what was decided before; what cannot be read is set aside."""
    try:
        read_keeping(folder)
    except (OSError, ValueError):
        (folder / KEEPING).set_aside()
    (folder / KEEPING).write(tomlkit.dumps(msgspec.to_builtins(keeping)).encode())
