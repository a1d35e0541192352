"""Looking at files under a root, by their path on the machine: never further than the root.

Nothing but regular files is opened, so neither a pipe nor a device can hold anybody up.
"""

import fnmatch
import os
import stat
from collections.abc import Iterable, Iterator
from typing import BinaryIO, Protocol

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
    """Files under a root folder here. Folders that were looked up are remembered: for one pass."""

    def __init__(self, root: str) -> None:
        self.root = root.rstrip("/") or ""
        self._folders: dict[str, str | None] = {"": self.root}

    def opened(self, path: str) -> BinaryIO | None:
        """See Reach."""
        place = self._place(path)
        if place is None:
            return None
        try:
            descriptor = os.open(place, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOFOLLOW)
        except (FileNotFoundError, NotADirectoryError):
            return None
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            os.close(descriptor)
            return None
        return os.fdopen(descriptor, "rb", buffering=0)

    def found(self, path: str) -> Found | None:
        """See Reach."""
        place = self._place(path, follow_last=False)
        if place is None:
            return None
        try:
            info = os.lstat(place)
        except (FileNotFoundError, NotADirectoryError):
            return None
        return Found(path, _kind(info.st_mode), info.st_size, int(info.st_mtime))

    def link(self, path: str) -> str | None:
        """See Reach."""
        place = self._place(path, follow_last=False)
        try:
            return None if place is None else os.readlink(place)
        except OSError:
            return None

    def names(self, folder: str) -> list[str]:
        """See Reach."""
        place = self._folder(folder)
        try:
            return [] if place is None else sorted(os.listdir(place or "/"))
        except (FileNotFoundError, NotADirectoryError):
            return []

    def entries(self, folder: str) -> list[tuple[str, str]]:
        """See Reach."""
        place = self._folder(folder)
        if place is None:
            return []
        with os.scandir(place or "/") as entries:
            return sorted((entry.name, _kind_of(entry)) for entry in entries)

    def room(self, path: str) -> Room | None:
        """See Reach."""
        place = self._place(path)
        if place is None:
            return None
        try:
            room, device = os.statvfs(place), os.stat(place).st_dev
        except (FileNotFoundError, NotADirectoryError):
            return None
        return Room(
            free_bytes=room.f_bavail * room.f_frsize,
            total_bytes=room.f_blocks * room.f_frsize,
            free_inodes=room.f_favail,
            total_inodes=room.f_files,
            device=device,
        )

    def _folder(self, path: str) -> str | None:
        """Where a folder's absolute path stands, its links resolved; None where there is none."""
        known = self._folders.get(path, "")
        if known != "" or path == "":
            return known
        place = self._found_folder(path)
        self._folders[path] = place
        return place

    def _found_folder(self, path: str) -> str | None:
        above, _, name = path.rpartition("/")
        if name in ("", ".", ".."):
            return self._resolved(path, follow_last=True)
        parent = self._folder(above)
        if parent is None:
            return None
        candidate = f"{parent}/{name}"
        try:
            os.readlink(candidate)
        except (FileNotFoundError, NotADirectoryError):
            return None
        except OSError:
            return candidate
        return self._resolved(path, follow_last=True)

    def _place(self, path: str, *, follow_last: bool = True) -> str | None:
        """Where a path stands; None where links go round or leave no way."""
        if "\0" in path:
            return None
        folder, _, name = path.rstrip("/").rpartition("/")
        if name in ("", ".", ".."):
            return self._resolved(path, follow_last=follow_last)
        parent = self._folder(folder)
        if parent is None:
            return None
        place = f"{parent}/{name}"
        if follow_last and os.path.islink(place):
            return self._resolved(path, follow_last=True)
        return place

    def _resolved(self, path: str, *, follow_last: bool) -> str | None:
        try:
            return located(self.root, path, follow_last=follow_last)
        except OSError:
            return None


def _kind(mode: int) -> str:
    if stat.S_ISREG(mode):
        return "file"
    if stat.S_ISDIR(mode):
        return "folder"
    return "link" if stat.S_ISLNK(mode) else "other"


def _kind_of(entry: os.DirEntry) -> str:
    if entry.is_symlink():
        return "link"
    if entry.is_dir(follow_symlinks=False):
        return "folder"
    return "file" if entry.is_file(follow_symlinks=False) else "other"


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
