"""Copying one folder of a tree: the job that the crew of a snapshot by copy does.

A later snapshot hard-links what is unchanged to the snapshot before it, never to the
live tree. Content is hashed while it is copied. A file that changes while it is read is
copied again; what stays unstable, and what vanished, is told.
"""

import contextlib
import errno
import os
from collections.abc import Iterator
from pathlib import Path
from stat import S_ISREG
from typing import ClassVar

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.snapshots.trees.contents import Cloner, blocks_read, open_to_read
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.describing import describe_open, describe_special, place_entry
from brave_bridge.snapshots.trees.dressing import make_special, set_attributes
from brave_bridge.snapshots.trees.file_copy import FileCopier, dress, may_be_refused
from brave_bridge.snapshots.trees.folders import (
    Boundary,
    Listing,
    list_folder,
    open_folder,
    open_root,
    opened,
)
from brave_bridge.snapshots.trees.manifest import (
    FILE,
    Entry,
    Manifest,
    decoded_path,
    encode_entry,
    encoded_path,
    is_untouched,
    joined,
    type_of,
)

Found = tuple[str, os.stat_result, bytes]
"""A name in a folder, its status, and its line in the snapshot before where it is untouched."""

_ASKED_FOR_AHEAD = 64
"""Files of a folder that are open at a time, so that the disk can bring them together."""


class FolderCopied(msgspec.Struct):
    """What copying a folder came to; its manifest lines stand in the spool file ``spool``."""

    folder: str
    spool: int
    offset: int
    length: int
    more: list[str]
    entries: int = 0
    bytes_covered: int = 0
    bytes_copied: int = 0
    vanished: list[str] = []
    unstable: list[str] = []
    apart: list[str] = []
    sockets: list[str] = []


class CopyJob(msgspec.Struct, tag="copy", frozen=True):
    """Copy the folders of ``root`` into ``target``, or only describe them where that is empty.

    ``anchors`` is a folder beside the target where hard-linked files are put first;
    ``previous`` and ``known`` are the files and the manifest of the snapshot before;
    ``mounts`` the mount points below the root, by path from there.
    """

    root: str
    cover: Cover
    spools: str
    target: str = ""
    anchors: str = ""
    previous: str = ""
    known: str = ""
    mounts: tuple[str, ...] = ()

    item: ClassVar = str
    result: ClassVar = FolderCopied

    def begin(self, number: int) -> "FolderCopier":
        return FolderCopier(self, number)


def spool_path(spools: str, number: int) -> Path:
    """Where a worker of that number keeps its manifest lines."""
    return Path(spools) / f"spool-{number}"


class FolderCopier:
    """Copies folders, one at a time."""

    def __init__(self, job: CopyJob, number: int) -> None:
        self.leaver = job.cover.leaver()
        self.number = number
        self.root = open_root(job.root)
        self.boundary = Boundary(self.root, job.mounts)
        self.target = open_root(job.target) if job.target else -1
        self.anchors = open_root(job.anchors) if job.anchors else -1
        self.previous = open_root(job.previous) if job.previous else -1
        self.known = Manifest(Path(job.known)) if job.known else None
        self.spool = ours_at(spool_path(job.spools, number)).opened_to_change()
        self.cloner = Cloner()
        self._written = 0
        self._read = -1
        # What is being copied now.
        self._result: FolderCopied
        self._source = self._copy = self._before = -1

    def end(self) -> None:
        for descriptor in (self.root, self.target, self.anchors, self.previous):
            if descriptor >= 0:
                os.close(descriptor)
        if self.known is not None:
            self.known.close()
        self.spool.close()

    def do(self, item: str) -> FolderCopied:
        """Copy a folder with all in it; the folders in it are made, and named as ``more``."""
        path = decoded_path(item)
        self._result = FolderCopied(item, self.number, self._written, 0, [])
        try:
            source = open_folder(self.root, path)
        except (FileNotFoundError, NotADirectoryError):
            self._vanished(path)
            return self._result
        self._source, self._copy, self._before = source, -1, -1
        try:
            if self.target >= 0:
                self._copy = open_folder(self.target, path)
            if self.previous >= 0:
                self._before = self._open_before(path)
            lines = self._copy_folder(path)
        finally:
            for descriptor in (self._source, self._copy, self._before):
                if descriptor >= 0:
                    os.close(descriptor)
        text = b"\n".join(lines) + b"\n"
        self.spool.write(text)
        self._written += len(text)
        self._result.length = len(text)
        self._result.entries = len(lines)
        return self._result

    def _open_before(self, path: str) -> int:
        try:
            return open_folder(self.previous, path)
        except OSError:
            return -1

    def _copy_folder(self, path: str) -> list[bytes]:
        status = os.fstat(self._source)
        folder = describe_open(path, self._source, status, "")
        listing = list_folder(self._source, path, self.boundary, self.leaver)
        self._result.apart += [encoded_path(p) for p in listing.apart]
        self._result.sockets += [encoded_path(p) for p in listing.sockets]
        lines = [encode_entry(folder)]
        lines += self._places(path, listing)
        lines += self._others(path, listing)
        for name in listing.folders:
            if self._copy >= 0:
                os.mkdir(name, 0o700, dir_fd=self._copy)
            self._result.more.append(encoded_path(joined(path, name)))
        if self._copy >= 0:
            dress(folder, self._copy, os.fstat(self._copy))
        return lines

    def _places(self, path: str, listing: Listing) -> list[bytes]:
        lines = []
        for name, status in listing.places.items():
            if self._copy >= 0:
                os.mkdir(name, 0o700, dir_fd=self._copy)
            lines.append(encode_entry(place_entry(joined(path, name), status)))
        return lines

    def _others(self, path: str, listing: Listing) -> list[bytes]:
        if not listing.others:
            return []
        found = list(self._met(path, listing))
        copier = FileCopier(self._source, self._copy, self.cloner)
        lines: list[bytes] = []
        for start in range(0, len(found), _ASKED_FOR_AHEAD):
            handful = found[start : start + _ASKED_FOR_AHEAD]
            if self._disk_reads() and self._copy >= 0 and len(handful) > 1:
                self._ask_for(handful, copier)
            try:
                lines += self._handful(path, handful, copier)
            finally:
                copier.forget()
        self._result.unstable += copier.unstable
        return lines

    def _disk_reads(self) -> bool:
        """Whether anything had to come from a disk since this was asked last."""
        before, self._read = self._read, blocks_read()
        return self._read > before

    def _met(self, path: str, listing: Listing) -> Iterator[Found]:
        """What is in a folder; with the line of the snapshot before for what is as it was then."""
        known = self._known_lines(path)
        for name, status in listing.others.items():
            before = known.get(encoded_path(name)) if known else None
            is_as_before = before is not None and is_untouched(before[0], status)
            yield name, status, before[1] if is_as_before else b""

    def _ask_for(self, handful: list[Found], copier: FileCopier) -> None:
        """Have the disk bring the files of a folder that will be copied, all at once."""
        for name, status, line in handful:
            if not line and status.st_nlink == 1 and S_ISREG(status.st_mode):
                copier.ask_for(name, status.st_size)

    def _handful(self, path: str, handful: list[Found], copier: FileCopier) -> Iterator[bytes]:
        start = encoded_path(path) + "/" if path else ""
        result = self._result
        for name, status, line in handful:
            is_file = S_ISREG(status.st_mode)
            try:
                if not line or not self._linked(name):
                    if is_file and self._copy >= 0 and status.st_nlink == 1:
                        entry = copier.copy(name, start + encoded_path(name), status)
                        result.bytes_copied += entry.size
                    else:
                        entry = self._described(joined(path, name), name, status)
                    line = encode_entry(entry)
            except FileNotFoundError:
                self._vanished(joined(path, name))
                continue
            yield line
            if is_file:
                result.bytes_covered += status.st_size

    def _known_lines(self, path: str) -> dict[str, tuple[Entry, bytes]]:
        if self.known is None or self._before < 0:
            return {}
        return self.known.lines_of_others(encoded_path(path))

    def _vanished(self, path: str) -> None:
        self._result.vanished.append(encoded_path(path))

    def _linked(self, name: str) -> bool:
        """Give the file of the snapshot before a further name; whether that could be done."""
        try:
            os.link(
                name, name, src_dir_fd=self._before, dst_dir_fd=self._copy, follow_symlinks=False
            )
        except OSError as error:
            if error.errno in (errno.EMLINK, errno.ENOENT, errno.EPERM):
                return False
            raise
        return True

    def _described(self, path: str, name: str, status: os.stat_result) -> Entry:
        """The entry of what is no file with one name, copied too where there is a target."""
        if type_of(status.st_mode) != FILE:
            entry = describe_special(path, name, self._source, status)
            if self._copy >= 0:
                self._copy_special(entry, name)
            return entry
        if self._copy >= 0:
            return self._copy_linked_file(path, name, status)
        source = open_to_read(name, self._source)
        try:
            return describe_open(path, source, os.fstat(source), "")
        finally:
            os.close(source)

    def _copy_special(self, entry: Entry, name: str) -> None:
        try:
            make_special(entry, name, self._copy)
            set_attributes(entry, name, self._copy)
        except OSError as error:
            if not may_be_refused(error):
                raise

    def _copy_linked_file(self, path: str, name: str, status: os.stat_result) -> Entry:
        """A file with several names: the first name met is the anchor that the others share.

        An anchor is a folder with the file and its entry; whoever renames one into place
        first has won, so workers need not talk to each other.
        """
        anchor = str(status.st_ino)
        try:
            return self._link_anchor(path, name, anchor)
        except FileNotFoundError:
            pass
        own = f"{anchor}.{self.number}"
        os.mkdir(own, 0o700, dir_fd=self.anchors)
        with opened(self.anchors, own) as folder:
            copier = FileCopier(self._source, folder, self.cloner)
            entry = copier.copy(name, encoded_path(path), status, new_name="file")
            self._result.bytes_copied += entry.size
            self._result.unstable += copier.unstable
            flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL
            with open(os.open("entry", flags, 0o600, dir_fd=folder), "wb") as stream:
                stream.write(encode_entry(entry))
        with contextlib.suppress(FileExistsError, OSError):
            os.rename(own, anchor, src_dir_fd=self.anchors, dst_dir_fd=self.anchors)
        return self._link_anchor(path, name, anchor)

    def _link_anchor(self, path: str, name: str, anchor: str) -> Entry:
        with opened(self.anchors, anchor) as folder:
            os.link("file", name, src_dir_fd=folder, dst_dir_fd=self._copy)
            with open(os.open("entry", os.O_RDONLY, dir_fd=folder), "rb") as stream:
                kept = decode_json(stream.read(), Entry)
        return msgspec.structs.replace(kept, path=encoded_path(path))
