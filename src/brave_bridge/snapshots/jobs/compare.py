"""Comparing one folder of a live tree with a manifest: the job of a preview's crew.

What is the very inode of before, not written to since, is not read again; of anything
else the content is compared.
"""

import os
from pathlib import Path
from typing import ClassVar

import msgspec

from brave_bridge.snapshots.trees.contents import hash_of, open_to_read
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.describing import describe_open, describe_special, entry_of
from brave_bridge.snapshots.trees.folders import (
    Boundary,
    Listing,
    list_folder,
    open_folder,
    open_root,
)
from brave_bridge.snapshots.trees.manifest import (
    FILE,
    FOLDER,
    NO_COPY_ON_WRITE,
    PLACE,
    Entry,
    Manifest,
    decoded_path,
    encoded_path,
    is_untouched,
    joined,
    type_of,
)

MISSING, CHANGED, ATTRIBUTES, EXTRA = "missing", "changed", "attributes", "extra"


class Difference(msgspec.Struct, frozen=True, array_like=True):
    """A path that is not as the manifest has it.

    ``missing`` here; other content or type (``changed``); other owner, mode, time or
    attributes; ``extra`` here. Sizes in bytes and the live times (of its content, and of any
    change to it, its name among that) in nanoseconds.
    """

    path: str
    how: str
    type: str
    """Of the manifest's; of the live one where it is extra."""
    size: int = 0
    live_size: int = 0
    live_mtime_ns: int = 0
    live_type: str = ""
    live_ctime_ns: int = 0


class FolderCompared(msgspec.Struct):
    """How a folder differs. ``held`` are folders with something in them that is not covered.

    ``links`` names what has several names: path, the manifest's group, the live inode and how
    many names that has; ``apart`` what is a mount or a subvolume of its own.
    """

    folder: str
    more: list[str]
    differences: list[Difference] = []
    held: list[str] = []
    links: list[tuple[str, int, int, int]] = []
    apart: list[str] = []
    compared: int = 0
    bytes_read: int = 0


class CompareJob(msgspec.Struct, tag="compare", frozen=True):
    """Compare the folders of ``root`` with a manifest, whose files stand below ``tree``.

    ``by_content``: read everything, also what seems untouched; but not again what is untouched
    in the folders ``read``, where all of that was read since the return that this comes after
    began.
    """

    root: str
    cover: Cover
    manifest: str
    tree: str
    by_content: bool = False
    mounts: tuple[str, ...] = ()
    read: frozenset[str] = frozenset()

    item: ClassVar = str
    result: ClassVar = FolderCompared

    def begin(self, number: int) -> "FolderComparer":
        return FolderComparer(self)


class FolderComparer:
    """Compares folders, one at a time."""

    def __init__(self, job: CompareJob) -> None:
        self.leaver = job.cover.leaver()
        self.by_content = job.by_content
        self.read = job.read
        self.root = open_root(job.root)
        self.boundary = Boundary(self.root, job.mounts)
        self.manifest = Manifest(Path(job.manifest))
        self.tree = job.tree
        self._tree_root = -1
        self._result: FolderCompared

    def end(self) -> None:
        self.manifest.close()
        os.close(self.root)
        if self._tree_root >= 0:
            os.close(self._tree_root)

    def do(self, item: str) -> FolderCompared:
        """Compare a folder that may be on either side only."""
        path = decoded_path(item)
        self._result = FolderCompared(item, [])
        try:
            folder = open_folder(self.root, path)
        except OSError:
            folder = -1
        try:
            self._compare_folder(item, path, folder)
        finally:
            if folder >= 0:
                os.close(folder)
        return self._result

    def _compare_folder(self, item: str, path: str, folder: int) -> None:
        listing = (
            list_folder(folder, path, self.boundary, self.leaver)
            if folder >= 0
            else Listing({}, {}, {}, [], [])
        )
        if listing.left_out or listing.sockets:
            self._result.held.append(item)
        self._result.apart += [encoded_path(path) for path in listing.apart]
        wanted = self.manifest.others_in(item) if self.manifest.has_folder(item) else {}
        above = len(item) + 1 if item else 0
        wanted_folders = {path[above:]: path for path in self.manifest.folders_in(item)}
        if not path and folder >= 0:
            self._attributes(self.manifest.folder(""), ".", folder, os.fstat(folder))
        met = self._meet_places(listing, wanted)
        met |= self._meet_others(item, folder, listing, wanted, wanted_folders)
        met |= self._meet_folders(item, folder, listing, wanted, wanted_folders)
        for key in wanted.keys() - met:
            self._differs(wanted[key], MISSING)
            self._note_links(wanted[key], None)
        for key in wanted_folders.keys() - met:
            self._differs(self.manifest.folder(wanted_folders[key]), MISSING)
            self._result.more.append(wanted_folders[key])

    def _differs(
        self, entry: Entry, how: str, status: os.stat_result | None = None, kind: str = ""
    ) -> None:
        live_size = status.st_size if status and kind == FILE else 0
        times = (status.st_mtime_ns, status.st_ctime_ns) if status else (0, 0)
        self._result.differences.append(
            Difference(entry.path, how, entry.type, entry.size, live_size, times[0], kind, times[1])
        )

    def _extra(self, key: str, status: os.stat_result) -> None:
        kind = type_of(status.st_mode)
        size = status.st_size if kind == FILE else 0
        times = status.st_mtime_ns, status.st_ctime_ns
        self._result.differences.append(
            Difference(key, EXTRA, kind, 0, size, times[0], kind, times[1])
        )

    def _note_links(
        self, entry: Entry | None, status: os.stat_result | None, key: str = ""
    ) -> None:
        group = entry.links if entry else 0
        inode = status.st_ino if status and status.st_nlink > 1 else 0
        if group or inode:
            names = status.st_nlink if status and inode else 0
            self._result.links.append((entry.path if entry else key, group, inode, names))

    def _meet_places(self, listing: Listing, wanted: dict[str, Entry]) -> set[str]:
        """Folders whose contents are not covered now: they are left alone."""
        met = {encoded_path(path.rpartition("/")[2]) for path in listing.apart}
        for name in listing.places:
            key = encoded_path(name)
            entry = wanted.get(key)
            if entry is not None and entry.type != PLACE:
                self._differs(entry, CHANGED, listing.places[name], PLACE)
            met.add(key)
        return met

    def _meet_others(
        self,
        item: str,
        folder: int,
        listing: Listing,
        wanted: dict[str, Entry],
        wanted_folders: dict[str, str],
    ) -> set[str]:
        met = set()
        reads = self.by_content and item not in self.read
        for name, status in listing.others.items():
            key = encoded_path(name)
            met.add(key)
            entry = wanted.get(key)
            if entry is None:
                self._meet_unknown(joined(item, key), wanted_folders.get(key), status)
                continue
            if entry.links or status.st_nlink > 1:
                self._note_links(entry, status)
            if not reads and is_untouched(entry, status):
                self._result.compared += 1
            elif entry.type != type_of(status.st_mode):
                self._differs(entry, CHANGED, status, type_of(status.st_mode))
            else:
                self._compare(entry, name, folder, status)
        return met

    def _meet_unknown(self, path: str, folder: str | None, status: os.stat_result) -> None:
        """What the manifest has not, or has as a folder."""
        if folder is None:
            self._note_links(None, status, path)
            self._extra(path, status)
        else:
            self._differs(self.manifest.folder(folder), CHANGED, status, type_of(status.st_mode))
            self._result.more.append(folder)

    def _meet_folders(
        self,
        item: str,
        folder: int,
        listing: Listing,
        wanted: dict[str, Entry],
        wanted_folders: dict[str, str],
    ) -> set[str]:
        met = set()
        for name, status in listing.folders.items():
            key = encoded_path(name)
            met.add(key)
            entry = wanted.get(key)
            if key in wanted_folders:
                self._attributes(self.manifest.folder(wanted_folders[key]), name, folder, status)
            elif entry is not None and entry.type == PLACE:
                continue
            elif entry is not None:
                self._differs(entry, CHANGED, status, FOLDER)
                self._note_links(entry, None)
            else:
                self._extra(joined(item, key), status)
            self._result.more.append(joined(item, key))
        return met

    def _attributes(self, entry: Entry, name: str, parent: int, status: os.stat_result) -> None:
        """Hold a folder's own attributes against its entry."""
        self._result.compared += 1
        if entry.ctime_ns == status.st_ctime_ns and entry.inode == status.st_ino:
            return
        flags = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW
        descriptor = os.open(name, flags, dir_fd=parent)
        try:
            live = describe_open("", descriptor, status, "")
        finally:
            os.close(descriptor)
        if not entry.same_attributes(live):
            self._differs(entry, ATTRIBUTES, status, FOLDER)

    def _compare(self, entry: Entry, name: str, parent: int, status: os.stat_result) -> None:
        self._result.compared += 1
        if is_untouched(entry, status):
            if entry.type == FILE and entry.what and not self._holds(entry, name, parent, status):
                self._differs(entry, CHANGED, status, entry.type)
            return
        if entry.type != FILE:
            live = describe_special("", name, parent, status)
        elif entry.size != status.st_size:
            live = entry_of("", status, "", {}, 0)
        else:
            live = self._read(entry, name, parent)
        if live.what != entry.what or live.size != entry.size:
            self._differs(entry, CHANGED, status, entry.type)
        elif entry.flags & NO_COPY_ON_WRITE > live.flags & NO_COPY_ON_WRITE:
            # A file has this flag from the beginning or not at all.
            self._differs(entry, CHANGED, status, entry.type)
        elif not entry.same_attributes(live):
            # Another name of it may stand where nothing shall be touched.
            how = CHANGED if status.st_nlink > 1 and entry.type == FILE else ATTRIBUTES
            self._differs(entry, how, status, entry.type)

    def _holds(self, entry: Entry, name: str, parent: int, status: os.stat_result) -> bool:
        """Whether a file that nobody touched still has its content.

        Nothing else of it can differ: no attribute changes without the ctime.
        """
        descriptor = open_to_read(name, parent)
        try:
            return self._content_holds(entry, descriptor, status)
        finally:
            os.close(descriptor)

    def _content_holds(self, entry: Entry, descriptor: int, status: os.stat_result) -> bool:
        what, length = hash_of(descriptor, entry.what, status.st_size)
        self._result.bytes_read += length
        return what == entry.what and length == entry.size

    def _read(self, entry: Entry, name: str, parent: int) -> Entry:
        descriptor = open_to_read(name, parent)
        try:
            status = os.fstat(descriptor)
            what, length = hash_of(descriptor, entry.what, status.st_size)
            self._result.bytes_read += length
            if not entry.what and what == self._kept_hash(entry.path):
                what = ""
            return describe_open("", descriptor, status, what)
        finally:
            os.close(descriptor)

    def _kept_hash(self, path: str) -> str:
        """The hash of the snapshot's own file, where its manifest has none."""
        if self._tree_root < 0:
            self._tree_root = open_root(self.tree)
        folder, _, name = decoded_path(path).rpartition("/")
        parent = open_folder(self._tree_root, folder)
        try:
            descriptor = open_to_read(name, parent)
        finally:
            os.close(parent)
        try:
            what, length = hash_of(descriptor)
            self._result.bytes_read += length
            return what
        finally:
            os.close(descriptor)
