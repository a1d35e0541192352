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
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.subvolumes import is_subvolume, make_subvolume
from brave_bridge.machines.writing import replace_file, set_aside_damaged

_OTHERS_WRITE = stat.S_IWGRP | stat.S_IWOTH
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
        if self.folder.is_dir():
            return
        try:
            self.folder.parent.mkdir(parents=True, exist_ok=True)
            if self._root and is_subvolume(self._root):
                make_subvolume(self.folder)
            self.folder.mkdir(mode=0o700, exist_ok=True)
        except OSError as error:
            raise MachineError(
                f"making the folder {self.where}",
                self.owner,
                error.strerror or str(error),
                "run it with the right to write there",
            ) from error

    def read(self, name: str, limit: int) -> bytes | None:
        """See State."""
        try:
            descriptor = os.open(self._of(name), os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
        except FileNotFoundError:
            return None
        except OSError as error:
            raise self._error(f"reading {name}", error) from error
        with os.fdopen(descriptor, "rb") as stream:
            if not stat.S_ISREG(os.fstat(descriptor).st_mode):
                raise MachineError(f"reading {self._of(name)}", self.owner, "not a regular file")
            content = stream.read(limit + 1)
        if len(content) > limit:
            seen = f"longer than {limit} bytes"
            raise MachineError(f"reading {self._of(name)}", self.owner, seen)
        return content

    def write(self, name: str, content: bytes) -> None:
        """See State."""
        place = self._of(name)
        try:
            self._make_room_for(place)
            replace_file(place, content, 0o600)
        except OSError as error:
            raise self._error(f"writing {place}", error) from error

    def remove(self, name: str) -> None:
        """See State."""
        try:
            with contextlib.suppress(FileNotFoundError):
                self._of(name).unlink()
        except OSError as error:
            raise self._error(f"removing {self._of(name)}", error) from error

    def names(self, pattern: str = "*") -> list[str]:
        """See State."""
        folder, _, name = pattern.rpartition("/")
        try:
            found = os.listdir(self._of(folder) if folder else self.folder)
        except OSError:
            return []
        return sorted(f"{folder}/{n}" if folder else n for n in fnmatch.filter(found, name))

    @contextlib.contextmanager
    def changing(self, name: str) -> Iterator[None]:
        """See State. The lock is a file beside it (flock(2))."""
        lock = self._of(f"{name}.lock")
        try:
            self._make_room_for(lock)
            descriptor = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
        except OSError as error:
            raise self._error(f"changing {self._of(name)}", error) from error
        try:
            self._wait_for(descriptor, name)
            yield
        finally:
            os.close(descriptor)

    def _make_room_for(self, place: Path) -> None:
        if not self.folder.is_dir():
            self.make()
        place.parent.mkdir(mode=0o700, exist_ok=True)

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
        try:
            return set_aside_damaged(self._of(name)).name
        except OSError as error:
            raise self._error(f"setting {self._of(name)} aside", error) from error

    def hold(self, name: str) -> contextlib.ExitStack | None:
        """See State. An open file description lock (fcntl(2), F_OFD_SETLK)."""
        stream = open(self._of(name), "a+")  # noqa: SIM115 - held open as long as the lock
        try:
            fcntl.fcntl(stream, _OFD_SETLK, _whole_file(fcntl.F_WRLCK))
        except OSError as error:
            stream.close()
            if error.errno not in (errno.EAGAIN, errno.EACCES):
                raise
            return None
        os.set_inheritable(stream.fileno(), False)
        held = contextlib.ExitStack()
        held.callback(stream.close)
        return held

    def is_held(self, name: str) -> bool:
        """See State (fcntl(2), F_OFD_GETLK)."""
        try:
            with open(self._of(name), "rb") as stream:
                found = fcntl.fcntl(stream, _OFD_GETLK, _whole_file(fcntl.F_WRLCK))
        except FileNotFoundError:
            return False
        except OSError:
            return True
        return struct.unpack(_FLOCK, found)[0] != fcntl.F_UNLCK

    def here(self, name: str) -> Path:
        """See State."""
        return self._of(name)

    def write_speed(self) -> float:
        """See State."""
        return write_speed(self.folder)

    def database(self, name: str) -> str:
        """See State."""
        return f"sqlite:///{self._of(name)}"

    def _of(self, name: str) -> Path:
        parts = name.split("/")
        if name.startswith("/") or not set(parts).isdisjoint(("", ".", "..")):
            raise ValueError(f"no name in a state folder: {name!r}")
        return self.folder.joinpath(*parts)

    def _error(self, attempted: str, error: OSError) -> MachineError:
        remedy = ""
        if isinstance(error, PermissionError):
            remedy = "run it with the right to do that"
        return MachineError(attempted, self.owner, error.strerror or str(error), remedy)


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
        if seen.st_uid not in (0, os.geteuid()):
            return f"{folder} belongs to user {seen.st_uid}", f"chown root {folder}"
        if seen.st_mode & _writers(seen):
            return f"{folder} can be written by others", f"chmod go-w {folder}"
    return None


def _writers(seen: os.stat_result) -> int:
    """The write bits that let somebody else in: root's own group is nobody else."""
    return stat.S_IWOTH if seen.st_gid == 0 else _OTHERS_WRITE


def _fault_in(state: Path) -> tuple[str, str] | None:
    try:
        seen = os.lstat(state)
    except FileNotFoundError:
        return None
    if not stat.S_ISDIR(seen.st_mode):
        return "it is no folder", f"look at it, then move it away: mv {state} {state}.aside"
    if seen.st_uid not in (0, os.geteuid()):
        return f"it belongs to user {seen.st_uid}", f"look through it, then chown -R root {state}"
    if seen.st_mode & _writers(seen):
        return "others can write to it", f"look through it, then chmod 700 {state}"
    try:
        links = sorted(entry.name for entry in os.scandir(state) if entry.is_symlink())
    except PermissionError:
        return None
    if links:
        named = state / links[0]
        return (
            f"a link stands in it: {links[0]}",
            f"put in its place what it leads to, or a bind mount of that: rm {named}",
        )
    return None
