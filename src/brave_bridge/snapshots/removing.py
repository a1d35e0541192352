"""Removing a tree with all in it by a crew.

Some file systems answer each removal only once the disk has let go of the blocks (the mount
option ``discard``); several hands wait for that together.
"""

import contextlib
import os
import stat
from pathlib import Path
from typing import ClassVar

import msgspec

from brave_bridge.snapshots.crew import HELPERS, Crew, carry_out
from brave_bridge.snapshots.folders import open_folder, open_root, remove_tree, unlocked
from brave_bridge.snapshots.manifest import decoded_path, encoded_path, joined


class FolderEmptied(msgspec.Struct):
    """A folder that has nothing but folders in it any more: ``more``."""

    more: list[str]


class RemovalJob(msgspec.Struct, tag="remove", frozen=True):
    """Empty folders below ``root`` of all that is no folder."""

    root: str

    item: ClassVar = str
    result: ClassVar = FolderEmptied

    def begin(self, number: int) -> "FolderEmptier":
        return FolderEmptier(self)


class FolderEmptier:
    """Empties folders, one at a time; what cannot be entered is left as it is."""

    def __init__(self, job: RemovalJob) -> None:
        self.root = open_root(job.root)
        self.device = os.fstat(self.root).st_dev

    def end(self) -> None:
        os.close(self.root)

    def do(self, item: str) -> FolderEmptied:
        """Remove what is in a folder but folders."""
        path = decoded_path(item)
        try:
            folder = open_folder(self.root, path)
        except OSError:
            return FolderEmptied([])
        try:
            return FolderEmptied(self._empty(folder, path))
        finally:
            os.close(folder)

    def _empty(self, folder: int, path: str) -> list[str]:
        if os.fstat(folder).st_dev != self.device:
            return []
        inner = []
        with os.scandir(folder) as listing:
            found = [(entry.name, entry.is_dir(follow_symlinks=False)) for entry in listing]
        for name, is_folder in found:
            if is_folder:
                inner.append(encoded_path(joined(path, name)))
            else:
                unlocked(lambda name=name: os.unlink(name, dir_fd=folder), name, folder)
        return inner


def remove_large_tree(name: str, parent: Path, helpers: int | Crew = HELPERS) -> None:
    """Remove a path and, where it is a folder, all below it; like folders.remove_tree."""
    descriptor = open_root(parent)
    try:
        status = os.stat(name, dir_fd=descriptor, follow_symlinks=False)
        if stat.S_ISDIR(status.st_mode):
            # Whatever helpers cannot do, this process does next, or says why it cannot.
            with contextlib.suppress(OSError):
                for _ in carry_out(RemovalJob(str(parent)), [encoded_path(name)], helpers):
                    pass
        remove_tree(name, descriptor)
    except FileNotFoundError:
        return
    finally:
        os.close(descriptor)
