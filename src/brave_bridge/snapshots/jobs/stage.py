"""Staging: what must come back is copied beside the live tree and checked, before any swap."""

import os
import stat
from itertools import groupby
from typing import ClassVar

import msgspec

from brave_bridge.snapshots.trees.contents import Cloner, copy_content, open_ahead
from brave_bridge.snapshots.trees.dressing import dress_new, make_special, set_attributes, set_flags
from brave_bridge.snapshots.trees.folders import open_root, opened, opened_parent
from brave_bridge.snapshots.trees.hashing import is_same
from brave_bridge.snapshots.trees.manifest import FILE, NO_COPY_ON_WRITE, Entry, decoded_path

HANDFUL = 64


class DamagedSnapshot(ValueError):
    """A file of the snapshot is missing or not what the manifest says. Nothing was changed."""


class Staged(msgspec.Struct):
    """How far staging a handful came."""

    more: list[list[tuple[str, Entry]]] = []
    files: int = 0
    bytes_copied: int = 0


class StageJob(msgspec.Struct, tag="stage", frozen=True):
    """Copy entries from the snapshot's ``tree`` into the folder ``staging``.

    An item is a handful of pairs: the place below ``staging`` (as a manifest writes it),
    whose folder is there already, and the entry.
    """

    tree: str
    staging: str

    item: ClassVar = list[tuple[str, Entry]]
    result: ClassVar = Staged

    def begin(self, number: int) -> "Stager":
        return Stager(self)


class Stager:
    """Stages handfuls of entries."""

    def __init__(self, job: StageJob) -> None:
        self.tree = open_root(job.tree)
        self.staging = open_root(job.staging)
        self.cloner = Cloner()

    def end(self) -> None:
        os.close(self.tree)
        os.close(self.staging)

    def do(self, item: list[tuple[str, Entry]]) -> Staged:
        """Stage a handful; DamagedSnapshot at the first file that is not what was taken."""
        originals: list[int] = []
        try:
            # All are asked for before the first is read: the disk brings them together.
            for _, entry in item:
                originals.append(self._original(entry) if entry.type == FILE else -1)
            return Staged([], len(item), self._stage(item, originals))
        finally:
            for original in originals:
                if original >= 0:
                    os.close(original)

    def _original(self, entry: Entry) -> int:
        """The snapshot's file, open."""
        try:
            with opened_parent(self.tree, decoded_path(entry.path)) as (source, own):
                return open_ahead(own, source, entry.size)
        except OSError as error:
            raise DamagedSnapshot(f"/{entry.path}: {error.strerror}") from error

    def _stage(self, item: list[tuple[str, Entry]], originals: list[int]) -> int:
        """Stage what is open; the bytes copied."""
        copied = 0
        for folder, places in groupby(
            zip(item, originals, strict=True), key=lambda one: one[0][0].rpartition("/")[0]
        ):
            with opened(self.staging, decoded_path(folder)) as target:
                for (place, entry), original in places:
                    name = decoded_path(place.rpartition("/")[2])
                    if entry.type == FILE:
                        copied += self._stage_file(entry, original, name, target)
                    else:
                        make_special(entry, name, target)
                        set_attributes(entry, name, target)
        return copied

    def _stage_file(self, entry: Entry, original: int, name: str, target: int) -> int:
        copy = -1
        try:
            status = os.fstat(original)
            if not stat.S_ISREG(status.st_mode):
                raise DamagedSnapshot(f"/{entry.path}: it is no file any more")
            copy = os.open(name, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600, dir_fd=target)
            if entry.flags & NO_COPY_ON_WRITE:
                set_flags(copy, NO_COPY_ON_WRITE)  # which only an empty file takes
            what, length = copy_content(original, copy, status, self.cloner, entry.what)
            if length != entry.size or (entry.what and not is_same(what, entry.what)):
                raise DamagedSnapshot(f"/{entry.path}: its content is not what was taken")
            dress_new(entry, copy, os.fstat(copy))
        finally:
            if copy >= 0:
                os.close(copy)
        return length


def handfuls(pairs: list[tuple[str, Entry]], largest: int = HANDFUL):
    """The pairs in handfuls, so that a crew can share them."""
    return [pairs[start : start + largest] for start in range(0, len(pairs), largest)]
