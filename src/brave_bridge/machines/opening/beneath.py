"""What stands below a folder that is trusted: opened, made, moved and removed only there.

No link is followed, a pipe or a device is never opened, and a file of somebody else's is refused
where only our own may stand. What is written is there whole, or not at all.
"""

import contextlib
import errno
import os
import secrets
import shutil
import stat
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

from brave_bridge.machines.opening.kernel import (
    FOLDER,
    LINK_IN_THE_WAY,
    ON_THE_WAY,
    open_beneath,
    open_top,
)
from brave_bridge.machines.opening.removal import remove_tree

_READ = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC
_CHANGE = os.O_RDWR | os.O_APPEND | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC
_NEW = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
_PIECE = 1 << 20

FILE, DIRECTORY, LINK, OTHER = "file", "folder", "link", "other"


class Beneath:
    """A path below a folder: ``top`` is trusted and followed, nothing below it is.

    ``ours``: files that are read or written must belong to root or to this user, and a file that
    is changed in place must have no second name. OSError everywhere, where it is refused.
    """

    __slots__ = ("inner", "ours", "top")

    def __init__(self, top: str | os.PathLike[str], inner: str = "", *, ours: bool = False) -> None:
        self.top = os.fspath(top)
        self.inner = inner
        self.ours = ours

    def __truediv__(self, name: str) -> "Beneath":
        """What stands below it at a path, which goes neither up nor out."""
        parts = name.split("/")
        if "\0" in name or not {"", ".", ".."}.isdisjoint(parts):
            raise ValueError(f"no path below a folder: {name!r}")
        return Beneath(self.top, f"{self.inner}/{name}".lstrip("/"), ours=self.ours)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Beneath) and self.path == other.path

    def __hash__(self) -> int:
        return hash(self.path)

    def __str__(self) -> str:
        return str(self.path)

    __repr__ = __str__

    @property
    def path(self) -> Path:
        """Where it stands, to be told, or handed to a tool of the operating system."""
        return Path(self.top, self.inner)

    @property
    def name(self) -> str:
        """Its last name."""
        return self.path.name

    @property
    def above(self) -> "Beneath":
        """The folder that it stands in; the top's is none below it."""
        return Beneath(self.top, self.inner.rpartition("/")[0], ours=self.ours)

    def beside(self, name: str) -> "Beneath":
        """What stands in the same folder under another name."""
        return self.above / name

    # Looking

    def status(self) -> os.stat_result | None:
        """What stands there, a link not followed; None where nothing does."""
        try:
            if not self.inner:
                return os.stat(self.top)
            with self._opened_above(ON_THE_WAY) as (above, name):
                return os.stat(name, dir_fd=above, follow_symlinks=False)
        except (FileNotFoundError, NotADirectoryError):
            return None

    @property
    def kind(self) -> str:
        """``file``, ``folder``, ``link`` or ``other``; empty where nothing stands, or is seen."""
        try:
            status = self.status()
        except OSError:
            return ""
        return "" if status is None else kind_of(status.st_mode)

    def is_file(self) -> bool:
        """Whether a regular file stands there."""
        return self.kind == FILE

    def is_folder(self) -> bool:
        """Whether a folder stands there."""
        return self.kind == DIRECTORY

    def link(self) -> str:
        """Where a link points, as it says."""
        with self._opened_above(ON_THE_WAY) as (above, name):
            return os.readlink(name, dir_fd=above)

    def names(self) -> list[str]:
        """The names in a folder, sorted."""
        with self.opened_folder() as folder:
            return sorted(os.listdir(folder))

    def entries(self) -> list[tuple[str, str]]:
        """The names in a folder, sorted, each with its kind."""
        with self.opened_folder() as folder, os.scandir(folder) as found:
            return sorted((entry.name, kind_of_entry(entry)) for entry in found)

    def folders(self) -> "list[Beneath]":
        """The folders in a folder, sorted by name; none where it is none, or cannot be seen."""
        try:
            return [self / name for name, kind in self.entries() if kind == DIRECTORY]
        except OSError:
            return []

    def read(self, limit: int) -> bytes:
        """A regular file's content, of at most ``limit`` bytes."""
        with self.opened() as stream:
            content = stream.read(limit + 1)
        if len(content) > limit:
            raise OSError(errno.EFBIG, f"longer than {limit} bytes", str(self))
        return content

    def read_if_there(self, limit: int) -> bytes | None:
        """The same; None where nothing stands there."""
        try:
            return self.read(limit)
        except FileNotFoundError:
            return None

    def opened(self, buffering: int = -1) -> BinaryIO:
        """A regular file, opened for reading."""
        with self._opened_above(ON_THE_WAY) as (above, name):
            descriptor = open_regular(name, above, _READ, str(self))
        return self._judged(descriptor, "rb", buffering)

    # Changing

    def write(self, content: bytes, mode: int | None = None) -> None:
        """Put a file in its place in one step; owner, mode and attributes of one before stay."""
        with self.replacing(mode) as stream:
            stream.write(content)

    @contextlib.contextmanager
    def replacing(self, mode: int | None = None) -> Iterator[BinaryIO]:
        """The same for what is written piece by piece: it is there when all of it is.

        It is written beside it, under a name that nobody can know before.
        """
        with self._opened_above() as (above, name):
            temporary = f".brave-bridge-{secrets.token_hex(8)}"
            descriptor = os.open(temporary, _NEW, 0o600, dir_fd=above)
            try:
                with os.fdopen(descriptor, "w+b") as stream:
                    yield stream
                    stream.flush()
                    _take_over(stream.fileno(), above, name, mode)
                    os.fsync(stream.fileno())
                os.replace(temporary, name, src_dir_fd=above, dst_dir_fd=above)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(temporary, dir_fd=above)
                raise
            os.fsync(above)

    def written_anew(self, mode: int = 0o600) -> BinaryIO:
        """A new file in place of what stood there, which is removed first. It is not flushed."""
        self.remove()
        with self._opened_above() as (above, name):
            return os.fdopen(os.open(name, _NEW, mode, dir_fd=above), "w+b")

    @contextlib.contextmanager
    def written_for_now(self) -> Iterator[BinaryIO]:
        """A new file for as long as it is written: nothing of it stays."""
        with self._opened_above() as (above, name):
            descriptor = os.open(name, _NEW, 0o600, dir_fd=above)
            try:
                with os.fdopen(descriptor, "w+b") as stream:
                    yield stream
            finally:
                with contextlib.suppress(OSError):
                    os.unlink(name, dir_fd=above)

    def hold_what(self, source: "Beneath") -> None:
        """Put another file's content in its place: as a second name of it where that can be."""
        with source.opened() as stream, self._opened_above() as (above, name):
            os.fsync(stream.fileno())
            temporary = f".brave-bridge-{secrets.token_hex(8)}"
            if not _linked(source, stream.fileno(), temporary, above):
                # Another file system, or one without second names.
                with self.replacing() as copy:
                    shutil.copyfileobj(stream, copy, _PIECE)
                return
            try:
                os.replace(temporary, name, src_dir_fd=above, dst_dir_fd=above)
            finally:
                # It stays also where both were names of one file already (rename(2)).
                with contextlib.suppress(FileNotFoundError):
                    os.unlink(temporary, dir_fd=above)
            os.fsync(above)

    def opened_to_change(self, mode: int = 0o600) -> BinaryIO:
        """A regular file, opened for reading and adding to its end; made where it is missing."""
        with self._opened_above() as (above, name):
            try:
                descriptor = os.open(name, _NEW | os.O_APPEND, mode, dir_fd=above)
            except FileExistsError:
                descriptor = open_regular(name, above, _CHANGE, str(self))
        return self._judged(descriptor, "a+b", -1)

    def add(self, content: bytes) -> None:
        """Add to a file's end; the file is made where it is missing."""
        with self.opened_to_change() as stream:
            stream.write(content)

    def make_folder(self, mode: int = 0o700) -> None:
        """Make a folder with those above it; nothing is done where it stands."""
        if not self.inner:
            os.makedirs(self.top, mode, exist_ok=True)
            return
        if self.is_folder():
            return
        self.above.make_folder(mode)
        with self._opened_above() as (above, name):
            try:
                os.mkdir(name, mode, dir_fd=above)
            except FileExistsError:
                os.close(open_beneath(above, name))

    def make_new_folder(self, mode: int = 0o700) -> None:
        """Make a folder where nothing stands. FileExistsError."""
        with self._opened_above() as (above, name):
            os.mkdir(name, mode, dir_fd=above)

    def move_to(self, other: "Beneath") -> None:
        """Rename it; a file that stood there is replaced. A link is moved, not followed."""
        with self._opened_above() as (source, name), other._opened_above() as (target, new):
            os.replace(name, new, src_dir_fd=source, dst_dir_fd=target)

    def remove(self) -> None:
        """Remove a file, or a link itself; nothing is done where nothing stands."""
        with contextlib.suppress(FileNotFoundError), self._opened_above() as (above, name):
            os.unlink(name, dir_fd=above)

    def remove_empty(self) -> None:
        """Remove an empty folder; nothing is done where nothing stands."""
        with contextlib.suppress(FileNotFoundError), self._opened_above() as (above, name):
            os.rmdir(name, dir_fd=above)

    def remove_all(self) -> None:
        """Remove it with all that is in it; no link is followed, no mount entered."""
        with contextlib.suppress(FileNotFoundError), self._opened_above() as (above, name):
            remove_tree(name, above)

    def set_aside(self) -> str:
        """Give what cannot be read another name beside it, where a person finds it; that name."""
        stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")
        aside = self.beside(f"{self.name}.damaged-{stamp}")
        self.move_to(aside)
        return aside.name

    def make_way(self) -> None:
        """Set aside what stands where a file of ours belongs and is none, so that one can be."""
        if self.kind not in ("", FILE):
            self.set_aside()

    @contextlib.contextmanager
    def opened_folder(self, flags: int = FOLDER) -> Iterator[int]:
        """The open folder, for what works relative to it; closed afterwards."""
        folder = open_top(self.top, ON_THE_WAY if self.inner else flags)
        try:
            if self.inner:
                top, folder = folder, open_beneath(folder, self.inner, flags)
                os.close(top)
            yield folder
        finally:
            os.close(folder)

    @contextlib.contextmanager
    def _opened_above(self, flags: int = FOLDER) -> Iterator[tuple[int, str]]:
        """The open folder that it stands in, and its name there."""
        folder, _, name = self.inner.rpartition("/")
        if not name:
            raise OSError(errno.EBUSY, "that is the folder itself", self.top)
        with Beneath(self.top, folder).opened_folder(flags) as above:
            yield above, name

    def _judged(self, descriptor: int, how: str, buffering: int) -> BinaryIO:
        """A stream over an open file that may be ours; closed and refused where it may not."""
        try:
            status = os.fstat(descriptor)
            if self.ours and status.st_uid not in (0, os.geteuid()):
                words = f"it belongs to user {status.st_uid}"
                raise PermissionError(errno.EPERM, words, str(self))
            if self.ours and "a" in how and status.st_nlink > 1:
                raise PermissionError(errno.EPERM, "it has a second name elsewhere", str(self))
        except BaseException:
            os.close(descriptor)
            raise
        # A pipe that took its place meanwhile was refused; what is read now may wait for a disk.
        os.set_blocking(descriptor, True)
        return os.fdopen(descriptor, how, buffering=buffering)  # type: ignore[return-value]


def kind_of(mode: int) -> str:
    """The kind of what has that mode."""
    if stat.S_ISREG(mode):
        return FILE
    if stat.S_ISDIR(mode):
        return DIRECTORY
    return LINK if stat.S_ISLNK(mode) else OTHER


def kind_of_entry(entry: "os.DirEntry[str]") -> str:
    """The kind of what a folder lists."""
    if entry.is_symlink():
        return LINK
    if entry.is_dir(follow_symlinks=False):
        return DIRECTORY
    return FILE if entry.is_file(follow_symlinks=False) else OTHER


def open_regular(name: str, folder: int, flags: int, told: str) -> int:
    """Open a regular file in an open folder; OSError for all else, which is not opened at all."""
    _must_be_regular(os.stat(name, dir_fd=folder, follow_symlinks=False), told)
    descriptor = os.open(name, flags | os.O_NOFOLLOW | os.O_NONBLOCK, dir_fd=folder)
    try:
        _must_be_regular(os.fstat(descriptor), told)
    except OSError:
        os.close(descriptor)
        raise
    return descriptor


def _must_be_regular(status: os.stat_result, told: str) -> None:
    if stat.S_ISLNK(status.st_mode):
        raise OSError(errno.ELOOP, LINK_IN_THE_WAY, told)
    if not stat.S_ISREG(status.st_mode):
        raise OSError(errno.EINVAL, "not a regular file", told)


def _take_over(descriptor: int, folder: int, name: str, mode: int | None) -> None:
    """Give a new file owner, mode and attributes of the one in whose place it will stand."""
    try:
        present = os.stat(name, dir_fd=folder, follow_symlinks=False)
    except FileNotFoundError:
        os.fchmod(descriptor, 0o644 if mode is None else mode)
        return
    if not stat.S_ISREG(present.st_mode):
        os.fchmod(descriptor, 0o644 if mode is None else mode)
        return
    if (present.st_uid, present.st_gid) != (os.geteuid(), os.getegid()):
        os.fchown(descriptor, present.st_uid, present.st_gid)
    os.fchmod(descriptor, stat.S_IMODE(present.st_mode) if mode is None else mode)
    before = open_regular(name, folder, _READ, name)
    try:
        for attribute in os.listxattr(before):
            with contextlib.suppress(OSError):
                os.setxattr(descriptor, attribute, os.getxattr(before, attribute))
    finally:
        os.close(before)


def _linked(source: Beneath, descriptor: int, name: str, folder: int) -> bool:
    """Whether an open file could be given one more name in a folder (link(2))."""
    with source._opened_above() as (above, known):
        try:
            os.link(known, name, src_dir_fd=above, dst_dir_fd=folder, follow_symlinks=False)
        except OSError:
            return False
    made = os.stat(name, dir_fd=folder, follow_symlinks=False)
    if os.path.samestat(made, os.fstat(descriptor)):
        return True
    os.unlink(name, dir_fd=folder)
    return False
