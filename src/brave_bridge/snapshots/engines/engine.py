"""What every engine can do: make a snapshot of a file system, show, remove, give it back."""

import subprocess
from collections.abc import Sequence
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path

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


FILES, SWAP, MERGE = "files", "swap", "merge"
"""How a part comes back: file by file, by exchanging subvolumes, by merging a volume."""


class Way(msgspec.Struct, frozen=True):
    """How a part comes back, and why so."""

    how: str
    why: str


class GivenBack(msgspec.Struct, frozen=True):
    """What giving a whole part back came to: what was set aside, or that its snapshot is none."""

    aside: tuple[str, ...] = ()
    used_up: bool = False
    restart_needed: bool = False


class Returned(msgspec.Struct, frozen=True):
    """What a return of one part is about. ``folder`` has the part's own files."""

    part: Part
    mounted: Mounted
    cover: Cover
    """What the part covers, its paths from there."""

    folder: Beneath
    state: Path
    """The folder with the machine's records, which must stay as they are."""


class Engine:
    """One way of making snapshots, with all that it can do. ``folder`` has the part's own files.

    A new one is a file with such an object, and its test; what it cannot do it leaves as it is.
    """

    name = ""
    kept = ""
    """How its snapshot is told of: ``by copy``."""

    copies = False
    """Whether the first snapshot takes the room of all that it covers, and later ones share."""

    fills = False
    """Whether a snapshot is lost when too much changes, so that its room has to be watched."""

    nests = False
    """Whether what it keeps can have others within itself that no mount tells of."""

    can_be_started = False
    """Whether a way back can be a system of its own beside the one of now."""

    by_rescue_tool = False
    """Whether plain Python can give its files back."""

    def why(self, mounted: Mounted, store: Path) -> str:
        """Why it suits that file system, in a sentence; empty where it does not."""
        raise NotImplementedError

    def place(self, mounted: Mounted, identifier: str) -> str:
        """What a snapshot of that id will be found by, where it is not in its folder."""
        return ""

    def is_read_only(self, mounted: Mounted) -> bool:
        """Whether nobody may write to what is live, so that it shall be so again."""
        return False

    def inner(self, mounted: Mounted) -> list[str]:
        """What is within a file system and its snapshot leaves empty, by path from there."""
        return []

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
        raise NotImplementedError

    def shown(self, part: Part, folder: Beneath, mounted: Mounted) -> AbstractContextManager[Path]:
        """The folder where the snapshot's files can be read, for as long as it is entered."""
        raise NotImplementedError

    def delete(self, part: Part, folder: Beneath, mounted: Mounted | None) -> None:
        """Remove it with all that belongs to it."""
        raise NotImplementedError

    def use(self, part: Part, folder: Beneath) -> Use:
        """What it takes."""
        raise NotImplementedError

    def fault(self, part: Part, folder: Beneath) -> str:
        """Why it holds nothing any more, by a quick look; empty where that is not seen."""
        return ""

    # Going back

    def way(self, returned: Returned) -> Way:
        """How a part comes back."""
        return Way(FILES, "files come back one by one, each in one step")

    def give_back(self, returned: Returned, identifier: str) -> GivenBack:
        """Give a part back as a whole, where ``way`` says another one than by files."""
        raise NotImplementedError

    def opened_up(self, part: Part, mounted: Mounted) -> AbstractContextManager[None]:
        """What is live, writable for as long as files come back; then as the part was."""
        return nullcontext()

    def live(self, mounted: Mounted) -> AbstractContextManager[Path]:
        """The files of a part as they will be after the next restart."""
        return nullcontext(mounted.folder)

    def cut_off(self, mounted: Mounted) -> str:
        """The snapshot that a half-done exchange leads to; empty where none is."""
        return ""

    def finish(self, mounted: Mounted) -> None:
        """Finish an exchange that was cut off."""

    def by_hand(self, root: Mounted, tree: str, spared: Sequence[str]) -> tuple[str, ...]:
        """The commands that give a root back by common tools from a rescue shell, where any do.

        ``tree`` is where its files stand below the root, ``spared`` what must stay as it is.
        """
        return ()


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
