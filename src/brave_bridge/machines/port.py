"""The port of a machine: where its files live and how its commands run.

Everything above this port is the same for a running system, a mounted tree and a
stand-in. Paths are absolute paths *on the machine*.
"""

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Protocol

from brave_bridge.machines.jobs import JobState
from brave_bridge.machines.wishes import Seen, Wish

STATE_FOLDER = "/var/lib/brave-bridge"
"""Where a machine keeps its logbook, jobs and snapshots: outside what a snapshot covers."""


class MachineError(Exception):
    """Something on a machine could not be done: what was attempted, where, what was seen."""

    def __init__(self, attempted: str, machine: str, seen: str, remedy: str = "") -> None:
        super().__init__(f"{attempted} on {machine}: {seen}")
        self.attempted = attempted
        self.machine = machine
        self.seen = seen
        self.remedy = remedy


class Machine(Protocol):
    """A machine that Brave Bridge looks after."""

    name: str
    kind: str
    """``running``, ``tree`` or ``stand-in``: how records and facts name it."""

    is_this_system: bool
    """Whether it is the very system that Brave Bridge runs on."""

    is_mounted_only: bool
    """Whether it is a tree that is only mounted: nothing of it runs."""

    is_pretended: bool
    """Whether it is a stand-in, whose commands and archives are made up."""

    root: Path
    """The folder under which the machine's files are reached."""

    state: Path
    """Its state folder, as reached from here."""

    def read(self, path: str, limit: int) -> bytes:
        """A file's content; MachineError when it is longer than ``limit`` bytes or unreadable."""

    def read_if_there(self, path: str, limit: int) -> bytes | None:
        """A file's content, or None where there is no such file."""

    def write(self, path: str, content: bytes, mode: int | None = None) -> None:
        """Replace a file atomically, keeping its owner, mode and attributes."""

    def remove(self, path: str) -> None:
        """Remove a file if it is there."""

    def move(self, source: str, target: str) -> None:
        """Rename a file in place of another."""

    def matching(self, pattern: str) -> list[str]:
        """The paths that match a shell pattern, sorted. Links are followed inside the root."""

    def below(self, folder: str) -> list[str]:
        """The paths of all regular files below a folder on the same file system."""

    def is_file(self, path: str) -> bool:
        """Whether a regular file stands there."""

    def gather(self, wishes: Iterable[Wish]) -> Seen:
        """Grant a batch of wishes in one round trip; what is not there is left out."""

    def start(self, job: str, argv: Sequence[str], environment: Mapping[str, str]) -> None:
        """Start a command as the detached job ``job``; does nothing where it was started before."""

    def job(self, job: str) -> JobState | None:
        """How the job stands; None where it was never started."""
