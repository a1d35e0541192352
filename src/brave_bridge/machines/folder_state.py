"""A state folder here: whether it may be trusted, and one change of a file at a time.

What stands in it leads procedures of root. It is used only where nobody but its owner can
have written there, and where no link leads out of it.
"""

import contextlib
import errno
import fcntl
import fnmatch
import os
import stat
import struct
import time
from collections.abc import Iterator
from pathlib import Path

from brave_bridge.machines.disk_speed import write_speed
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.trust import is_of_another, others_may_write
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.subvolumes import is_subvolume, make_subvolume

_FOLDER_ABOVE = 0o755
_POLL_SECONDS = 0.02
_PATIENCE_SECONDS = 30.0

_OFD_GETLK, _OFD_SETLK = 36, 37
"""Of <asm-generic/fcntl.h>: older Pythons do not name them."""

_FLOCK = "hhqqi0q"
"""The kernel's struct flock: kind, whence, start, length, process id."""


class FolderState:
    """See State. ``root`` is the folder from which on every folder above must be trusted."""

    def __init__(self, owner: str, folder: Path, root: Path | None = None) -> None:
        self.owner = owner
        self.folder = folder
        self._root = root
        self.beneath = _beneath(folder, root)

    @property
    def where(self) -> str:
        """See State."""
        return str(self.folder)

    def is_there(self) -> bool:
        """See State."""
        return self.folder.is_dir()

    def can_be_read(self) -> bool:
        """See State."""
        return os.access(self.folder, os.R_OK | os.X_OK)

    def must_be_trusted(self) -> None:
        """See State. A folder that is not there yet is trusted where those above it are."""
        fault = (self._root and _fault_above(self._root, self.folder)) or _fault_in(self.folder)
        if fault:
            raise MachineError(f"trusting {self.where}", self.owner, *fault)

    def make(self) -> None:
        """See State. On btrfs it is a subvolume of its own, which the root's snapshots lack."""
        self.must_be_trusted()
        if self.beneath.is_folder():
            return
        try:
            self.beneath.above.make_folder(_FOLDER_ABOVE)
            if self._root and is_subvolume(self._root):
                make_subvolume(self.folder)
            self.beneath.make_folder()
        except OSError as error:
            raise MachineError(
                f"making the folder {self.where}",
                self.owner,
                error.strerror or str(error),
                "run it with the right to write there",
            ) from error

    def read(self, name: str, limit: int) -> bytes | None:
        """See State."""
        with self._told(f"reading {self._of(name)}"):
            return self._of(name).read_if_there(limit)

    def write(self, name: str, content: bytes) -> None:
        """See State."""
        place = self._of(name)
        with self._told(f"writing {place}"):
            self._make_room_for(place)
            place.write(content, 0o600)

    def remove(self, name: str) -> None:
        """See State."""
        with self._told(f"removing {self._of(name)}"):
            self._of(name).remove()

    def names(self, pattern: str = "*") -> list[str]:
        """See State."""
        folder, _, name = pattern.rpartition("/")
        try:
            found = (self._of(folder) if folder else self.beneath).names()
        except OSError:
            return []
        return sorted(f"{folder}/{n}" if folder else n for n in fnmatch.filter(found, name))

    @contextlib.contextmanager
    def changing(self, name: str) -> Iterator[None]:
        """See State. The lock is a file beside it (flock(2))."""
        lock = self._of(f"{name}.lock")
        with contextlib.ExitStack() as held:
            with self._told(f"changing {self._of(name)}"):
                self._make_room_for(lock)
                stream = held.enter_context(lock.opened_to_change())
            self._wait_for(stream.fileno(), name)
            yield

    def _make_room_for(self, place: Beneath) -> None:
        if not self.beneath.is_folder():
            self.make()
        place.above.make_folder()

    def _wait_for(self, descriptor: int, name: str) -> None:
        until = time.monotonic() + _PATIENCE_SECONDS
        while True:
            try:
                return fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                if time.monotonic() > until:
                    raise MachineError(
                        f"changing {self._of(name)}",
                        self.owner,
                        "another program is changing it",
                        "try again when it has ended",
                    ) from None
            time.sleep(_POLL_SECONDS)

    def set_aside(self, name: str) -> str:
        """See State."""
        with self._told(f"setting {self._of(name)} aside"):
            return self._of(name).set_aside()

    def hold(self, name: str) -> contextlib.ExitStack | None:
        """See State. An open file description lock (fcntl(2), F_OFD_SETLK)."""
        with self._told(f"holding {self._of(name)}"):
            stream = self._of(name).opened_to_change()
        try:
            fcntl.fcntl(stream, _OFD_SETLK, _whole_file(fcntl.F_WRLCK))
        except OSError as error:
            stream.close()
            if error.errno not in (errno.EAGAIN, errno.EACCES):
                raise
            return None
        held = contextlib.ExitStack()
        held.callback(stream.close)
        return held

    def is_held(self, name: str) -> bool:
        """See State (fcntl(2), F_OFD_GETLK)."""
        try:
            with self._of(name).opened() as stream:
                found = fcntl.fcntl(stream, _OFD_GETLK, _whole_file(fcntl.F_WRLCK))
        except FileNotFoundError:
            return False
        except OSError:
            return True
        return struct.unpack(_FLOCK, found)[0] != fcntl.F_UNLCK

    def here(self, name: str) -> Beneath:
        """See State."""
        return self._of(name)

    def write_speed(self) -> float:
        """See State."""
        return write_speed(self.beneath)

    def database(self, name: str) -> str:
        """See State."""
        return f"sqlite:///{self._of(name).path}"

    def _of(self, name: str) -> Beneath:
        if name.startswith("/"):
            raise ValueError(f"no name in a state folder: {name!r}")
        return self.beneath / name

    @contextlib.contextmanager
    def _told(self, attempted: str) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            remedy = "run it with the right to do that" if error.errno == errno.EACCES else ""
            seen = error.strerror or str(error)
            raise MachineError(attempted, self.owner, seen, remedy) from error


def _beneath(folder: Path, root: Path | None) -> Beneath:
    """A state folder below what is trusted: the root of a machine, or where it stands."""
    top = root or folder.parent
    return Beneath(top, str(folder.relative_to(top)), ours=True)


def _whole_file(kind: int) -> bytes:
    return struct.pack(_FLOCK, kind, os.SEEK_SET, 0, 0, 0)


def _fault_above(root: Path, state: Path) -> tuple[str, str] | None:
    inside = state.relative_to(root).parts
    for depth in range(len(inside)):
        folder = root.joinpath(*inside[:depth])
        try:
            seen = os.lstat(folder)
        except FileNotFoundError:
            return None
        if not stat.S_ISDIR(seen.st_mode):
            return f"{folder} is no folder", "put a folder in its place"
        if is_of_another(seen):
            return f"{folder} belongs to user {seen.st_uid}", f"chown root {folder}"
        if others_may_write(folder, seen):
            return f"{folder} can be written by others", f"chmod go-w {folder}"
    return None


def _fault_in(state: Path) -> tuple[str, str] | None:
    try:
        seen = os.lstat(state)
    except FileNotFoundError:
        return None
    if not stat.S_ISDIR(seen.st_mode):
        return "it is no folder", f"look at it, then move it away: mv {state} {state}.aside"
    if is_of_another(seen):
        return f"it belongs to user {seen.st_uid}", f"look through it, then chown -R root {state}"
    if others_may_write(state, seen):
        return "others can write to it", f"look through it, then chmod 700 {state}"
    try:
        with Beneath(state).opened_folder() as folder, os.scandir(folder) as listing:
            inside = sorted(listing, key=lambda entry: entry.name)
            return next(filter(None, (_fault_of(state, entry) for entry in inside)), None)
    except PermissionError:
        return None


def _fault_of(state: Path, entry: "os.DirEntry[str]") -> tuple[str, str] | None:
    """Why something in a state folder cannot be trusted."""
    try:
        seen = entry.stat(follow_symlinks=False)
    except FileNotFoundError:
        return None
    if stat.S_ISLNK(seen.st_mode):
        return (
            f"a link stands in it: {entry.name}",
            f"put in its place what it leads to, or a bind mount of that: rm {state / entry.name}",
        )
    if not (
        stat.S_ISREG(seen.st_mode) or stat.S_ISDIR(seen.st_mode) or stat.S_ISSOCK(seen.st_mode)
    ):
        what = "a pipe" if stat.S_ISFIFO(seen.st_mode) else "a device"
        return f"{what} stands in it: {entry.name}", f"look at it, then rm {state / entry.name}"
    if is_of_another(seen):
        return (
            f"{entry.name} in it belongs to user {seen.st_uid}",
            f"look through it, then chown -R root {state / entry.name}",
        )
    return None
