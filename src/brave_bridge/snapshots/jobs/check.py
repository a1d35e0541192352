"""Checking one folder of a snapshot against its manifest: is it still what was taken?"""

import os
from pathlib import Path
from typing import ClassVar

import msgspec

from brave_bridge.snapshots.trees.contents import hash_of, open_to_read
from brave_bridge.snapshots.trees.describing import describe_special
from brave_bridge.snapshots.trees.folders import open_folder, open_root
from brave_bridge.snapshots.trees.hashing import is_same
from brave_bridge.snapshots.trees.manifest import (
    BLOCK,
    CHARACTER,
    FILE,
    LINK,
    PLACE,
    Entry,
    Manifest,
    decoded_path,
    type_of,
)


class FolderChecked(msgspec.Struct):
    """The faults of a folder, each ``path: what``."""

    folder: str
    more: list[str]
    faults: list[str] = []
    entries: int = 0
    bytes_read: int = 0


class CheckJob(msgspec.Struct, tag="check", frozen=True):
    """Check the snapshot's files below ``tree`` against its manifest, content included.

    ``alone``: a folder without the folders in it.
    """

    manifest: str
    tree: str
    alone: bool = False

    item: ClassVar = str
    result: ClassVar = FolderChecked

    def begin(self, number: int) -> "FolderChecker":
        return FolderChecker(self)


class FolderChecker:
    """Checks folders, one at a time."""

    def __init__(self, job: CheckJob) -> None:
        self.manifest = Manifest(Path(job.manifest))
        self.alone = job.alone
        self.tree = open_root(job.tree)
        self._result: FolderChecked

    def end(self) -> None:
        self.manifest.close()
        os.close(self.tree)

    def do(self, item: str) -> FolderChecked:
        """Check what is in a folder; the folders in it are ``more``."""
        inner = [] if self.alone else list(self.manifest.folders_in(item))
        self._result = FolderChecked(item, inner)
        entries = self.manifest.others_in(item)
        self._result.entries = len(entries) + 1
        try:
            folder = open_folder(self.tree, decoded_path(item))
        except OSError as error:
            self._result.faults.append(f"/{item}: {error.strerror}")
            why = f"its folder: {error.strerror}"
            self._result.faults += [f"/{entry.path}: {why}" for entry in entries.values()]
            return self._result
        try:
            for name, entry in entries.items():
                if entry.type != PLACE:
                    self._check(entry, decoded_path(name), folder)
        finally:
            os.close(folder)
        return self._result

    def _check(self, entry: Entry, name: str, folder: int) -> None:
        try:
            fault = self._fault_of(entry, name, folder)
        except OSError as error:
            fault = error.strerror or str(error)
        if fault:
            self._result.faults.append(f"/{entry.path}: {fault}")

    def _fault_of(self, entry: Entry, name: str, folder: int) -> str:
        if entry.type != FILE:
            return self._special_fault(entry, name, folder)
        descriptor = open_to_read(name, folder)
        try:
            if type_of(os.fstat(descriptor).st_mode) != FILE:
                return "it is of another type"
            what, length = hash_of(descriptor, entry.what, entry.size)
        finally:
            os.close(descriptor)
        self._result.bytes_read += length
        if length != entry.size:
            return f"{length} bytes where {entry.size} were taken"
        if not entry.what or is_same(what, entry.what):
            return ""
        return "its content is not what was taken"

    @staticmethod
    def _special_fault(entry: Entry, name: str, folder: int) -> str:
        """Devices and pipes come back from the manifest, so their copy may be missing."""
        try:
            status = os.stat(name, dir_fd=folder, follow_symlinks=False)
        except FileNotFoundError:
            return "it is missing" if entry.type == LINK else ""
        if type_of(status.st_mode) != entry.type:
            return "it is of another type"
        if entry.type not in (LINK, CHARACTER, BLOCK):
            return ""
        found = describe_special("", name, folder, status)
        return "" if found.what == entry.what else "it leads elsewhere"
