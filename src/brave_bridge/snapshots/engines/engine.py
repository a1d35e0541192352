"""What every engine can do: make a snapshot of one mounted file system, show it, remove it."""

import subprocess
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Protocol

import msgspec

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.jobs.tree_copy import CopyReport, Progress
from brave_bridge.snapshots.trees.cover import Cover


class Mounted(msgspec.Struct, frozen=True):
    """A file system of a machine: where on the machine, and by which folder it is reached here.

    ``subvolume`` is the path of its root within the file system (mountinfo's fourth field).
    """

    path: str
    folder: Path
    device: str = ""
    type: str = ""
    options: str = ""
    subvolume: str = "/"
    uuid: str = ""


class Part(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """The snapshot of one mounted file system, as the description keeps it.

    ``place`` is what the engine finds it by; ``checksum`` is the hash of its manifest.
    Paths in the lists are as a manifest writes them.
    """

    mount: str
    engine: str
    why: str
    folder: str
    place: str = ""
    file_system: str = ""
    device: str = ""
    uuid: str = ""
    subvolume: str = "/"
    read_only: bool = False
    """Whether it is a btrfs subvolume that nobody could write to."""
    checksum: str = ""
    entries: int = 0
    bytes_covered: int = 0
    bytes_copied: int = 0
    apart: tuple[str, ...] = ()
    vanished: tuple[str, ...] = ()
    unstable: tuple[str, ...] = ()
    sockets: tuple[str, ...] = ()


class Use(msgspec.Struct, frozen=True):
    """What a snapshot's part takes, in bytes: what goes when it goes, and what others share."""

    alone: int
    shared: int
    room_left: int = -1
    """How much more may change until it is full, for engines that fill; else -1."""


class EngineError(OSError):
    """A tool of the operating system refused; the message is what it said."""


class Engine(Protocol):
    """One way of making snapshots. ``folder`` is where the part's own files are kept."""

    name: str

    def why(self, mounted: Mounted, store: Path) -> str:
        """Why it suits that file system, in a sentence; empty where it does not."""

    def place(self, mounted: Mounted, identifier: str) -> str:
        """What a snapshot of that id will be found by, where it is not in its folder."""

    def take(
        self,
        mounted: Mounted,
        cover: Cover,
        folder: Beneath,
        place: str,
        previous: Beneath | None,
        progress: Progress,
    ) -> CopyReport:
        """Make it; what it came to. The manifest is in the folder afterwards."""

    def shown(self, part: Part, folder: Beneath, mounted: Mounted) -> AbstractContextManager[Path]:
        """The folder where the snapshot's files can be read, for as long as it is entered."""

    def delete(self, part: Part, folder: Beneath, mounted: Mounted | None) -> None:
        """Remove it with all that belongs to it."""

    def use(self, part: Part, folder: Beneath) -> Use:
        """What it takes."""

    def fault(self, part: Part, folder: Beneath) -> str:
        """Why it holds nothing any more, by a quick look; empty where that is not seen."""


def tool(*argv: str, timeout: float = 600) -> str:
    """What a tool of the operating system says; EngineError with its words where it fails."""
    try:
        done = subprocess.run(
            argv,
            capture_output=True,
            text=True,
            errors="replace",
            check=False,
            timeout=timeout,
            stdin=subprocess.DEVNULL,
        )
    except FileNotFoundError as error:
        raise EngineError(error.errno, f"{argv[0]} is not installed") from error
    except subprocess.TimeoutExpired as error:
        raise EngineError(110, f"{argv[0]} gave no answer within {timeout:.0f} s") from error
    if done.returncode != 0:
        said = (done.stderr or done.stdout).strip() or f"exit code {done.returncode}"
        raise EngineError(5, said)
    return done.stdout
