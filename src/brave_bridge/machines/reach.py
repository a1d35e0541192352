"""Looking at files under a root, by their path on the machine: never further than the root.

Nothing but regular files is opened, so neither a pipe nor a device can hold anybody up.
"""

import contextlib
import errno
import fnmatch
import os
import stat
from collections.abc import Iterable, Iterator
from typing import BinaryIO, Protocol

from brave_bridge.machines.opening.beneath import kind_of, kind_of_entry, open_regular
from brave_bridge.machines.opening.kernel import ON_THE_WAY, open_beneath, open_top
from brave_bridge.machines.queries import Found, Room
from brave_bridge.machines.rooted import located

MAX_PATHS = 20_000
"""Paths that one pattern may lead to; what is beyond is left out."""

_WILD = frozenset("*?[")


class Reach(Protocol):
    """What can be looked at. OSError where something is refused, so that nobody knows."""

    def opened(self, path: str) -> BinaryIO | None:
        """A regular file opened for reading; None where there is none."""

    def found(self, path: str) -> Found | None:
        """What stands at a path, a link not followed; None where nothing does."""

    def link(self, path: str) -> str | None:
        """Where a link points; None where there is no link."""

    def entries(self, folder: str) -> list[tuple[str, str]]:
        """The names in a folder, sorted, each with its kind (see Found); none where it is none."""

    def names(self, folder: str) -> list[str]:
        """The names alone."""

    def room(self, path: str) -> Room | None:
        """Room on the file system that holds a path; None where nothing stands there."""


class FolderReach:
    """Files under a root folder here. Folders that were looked up are remembered: for one pass.

    A path's links are resolved as if the root were ``/``; what comes of it is opened below the
    root without following any more, so that a link that is put there meanwhile is refused.
    """

    def __init__(self, root: str) -> None:
        self.root = root.rstrip("/")
        self._folders: dict[str, str | None] = {"": ""}
        self._top = open_top(self.root or "/", ON_THE_WAY)
        self._entered = ("", os.dup(self._top))

    def close(self) -> None:
        """Let go of the folders that are open."""
        for descriptor in (self._top, self._entered[1]):
            os.close(descriptor)

    def __enter__(self) -> "FolderReach":
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def opened(self, path: str) -> BinaryIO | None:
        """See Reach."""
        place = self._place(path)
        if place is None:
            return None
        with _nothing_there():
            folder, name = self._folder_and_name(place)
            flags = os.O_RDONLY | os.O_CLOEXEC | os.O_NOCTTY
            return os.fdopen(open_regular(name, folder, flags, path), "rb", buffering=0)
        return None

    def found(self, path: str) -> Found | None:
        """See Reach."""
        place = self._place(path, follow_last=False)
        if place is None:
            return None
        with _nothing_there():
            folder, name = self._folder_and_name(place)
            info = os.stat(name, dir_fd=folder, follow_symlinks=False)
            return Found(path, kind_of(info.st_mode), info.st_size, int(info.st_mtime))
        return None

    def link(self, path: str) -> str | None:
        """See Reach."""
        place = self._place(path, follow_last=False)
        with contextlib.suppress(OSError):
            if place:
                folder, name = self._folder_and_name(place)
                return os.readlink(name, dir_fd=folder)
        return None

    def names(self, folder: str) -> list[str]:
        """See Reach."""
        with _nothing_there():
            place = self._folder(folder)
            if place is not None:
                with self._listed(place) as descriptor:
                    return sorted(os.listdir(descriptor))
        return []

    def entries(self, folder: str) -> list[tuple[str, str]]:
        """See Reach."""
        place = self._folder(folder)
        if place is None:
            return []
        with self._listed(place) as descriptor, os.scandir(descriptor) as entries:
            return sorted((entry.name, kind_of_entry(entry)) for entry in entries)

    def room(self, path: str) -> Room | None:
        """See Reach."""
        place = self._place(path)
        if place is None:
            return None
        with _nothing_there():
            descriptor = open_beneath(self._top, place, os.O_PATH)
            try:
                room, device = os.fstatvfs(descriptor), os.fstat(descriptor).st_dev
            finally:
                os.close(descriptor)
            return Room(
                free_bytes=room.f_bavail * room.f_frsize,
                total_bytes=room.f_blocks * room.f_frsize,
                free_inodes=room.f_favail,
                total_inodes=room.f_files,
                device=device,
            )
        return None

    @contextlib.contextmanager
    def _listed(self, place: str) -> Iterator[int]:
        """A folder by its resolved path from the root, to be listed."""
        descriptor = open_beneath(self._top, place) if place else open_top(self.root or "/")
        try:
            yield descriptor
        finally:
            os.close(descriptor)

    def _open_folder(self, place: str) -> int:
        """A folder by its resolved path from the root, open until the next one is entered."""
        if self._entered[0] != place:
            inner = open_beneath(self._top, place, ON_THE_WAY)
            os.close(self._entered[1])
            self._entered = (place, inner)
        return self._entered[1]

    def _folder_and_name(self, place: str) -> tuple[int, str]:
        folder, _, name = place.rpartition("/")
        return self._open_folder(folder), name or "."

    def _folder(self, path: str) -> str | None:
        """A folder's resolved path from the root; None where links leave no way."""
        path = path.rstrip("/")
        if path not in self._folders:
            self._folders[path] = self._found_folder(path)
        return self._folders[path]

    def _found_folder(self, path: str) -> str | None:
        above, _, name = path.rpartition("/")
        if name in ("", ".", ".."):
            return self._resolved(path, follow_last=True)
        parent = self._folder(above)
        if parent is None:
            return None
        try:
            os.readlink(name, dir_fd=self._open_folder(parent))
        except (FileNotFoundError, NotADirectoryError):
            return None
        except OSError:
            return f"{parent}/{name}".lstrip("/")
        return self._resolved(path, follow_last=True)

    def _place(self, path: str, *, follow_last: bool = True) -> str | None:
        """A path from the root, resolved; None where links go round or leave no way."""
        if "\0" in path:
            return None
        folder, _, name = path.rstrip("/").rpartition("/")
        if name in ("", ".", ".."):
            return self._resolved(path, follow_last=follow_last)
        parent = self._folder(folder)
        if parent is None:
            return None
        if follow_last and self._is_link(parent, name):
            return self._resolved(path, follow_last=True)
        return f"{parent}/{name}".lstrip("/")

    def _is_link(self, folder: str, name: str) -> bool:
        try:
            status = os.stat(name, dir_fd=self._open_folder(folder), follow_symlinks=False)
        except OSError:
            return False
        return stat.S_ISLNK(status.st_mode)

    def _resolved(self, path: str, *, follow_last: bool) -> str | None:
        try:
            return located(self.root, path, follow_last=follow_last)[len(self.root) :].lstrip("/")
        except OSError:
            return None


@contextlib.contextmanager
def _nothing_there() -> Iterator[None]:
    """What is not there, or is no file that can be opened, is no fault: nothing comes of it."""
    try:
        yield
    except OSError as error:
        if error.errno not in (errno.ENOENT, errno.ENOTDIR, errno.ELOOP, errno.EINVAL):
            raise


def expanded(reach: Reach, patterns: Iterable[str], faults: dict[str, str]) -> Iterator[str]:
    """The paths that shell patterns lead to; one without wildcards is passed on as it is.

    Why a folder cannot be looked through goes to ``faults``, by folder and pattern.
    """
    for pattern in patterns:
        if _WILD.isdisjoint(pattern):
            yield pattern
        else:
            yield from _matching(reach, pattern, faults)


def _matching(reach: Reach, pattern: str, faults: dict[str, str]) -> list[str]:
    paths = [""]
    for part in pattern.split("/")[1:]:
        if _WILD.isdisjoint(part):
            paths = [f"{path}/{part}" for path in paths]
            continue
        found: list[str] = []
        for path in paths:
            try:
                found += [f"{path}/{name}" for name in fnmatch.filter(reach.names(path), part)]
            except OSError as error:
                faults[f"{path}/{part}"] = error.strerror or str(error)
        paths = found[:MAX_PATHS]
    return paths


def below(reach: Reach, folder: str, endings: tuple[str, ...] = ("",)) -> Iterator[str]:
    """The regular files below a folder whose names end so; folders that are refused are not."""
    pending = [folder.rstrip("/")]
    looked_at = 0
    while pending and looked_at < MAX_PATHS * 10:
        path = pending.pop()
        try:
            entries = reach.entries(path)
        except OSError:
            continue
        looked_at += len(entries)
        for name, kind in entries:
            if kind == "folder":
                pending.append(f"{path}/{name}")
            elif kind == "file" and name.endswith(endings):
                yield f"{path}/{name}"
