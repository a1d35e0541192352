"""Emptying the folders of a tree that is to be removed, but for the folders in them."""

import os
from typing import ClassVar

import msgspec

from brave_bridge.snapshots.trees.folders import open_folder, open_root, unlocked
from brave_bridge.snapshots.trees.manifest import decoded_path, encoded_path, joined


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
            return []  # a subvolume: openat2 keeps us out of mounts alone
        inner = []
        with os.scandir(folder) as listing:
            found = [(entry.name, entry.is_dir(follow_symlinks=False)) for entry in listing]
        for name, is_folder in found:
            if is_folder:
                inner.append(encoded_path(joined(path, name)))
            else:
                unlocked(lambda name=name: os.unlink(name, dir_fd=folder), name, folder)
        return inner
