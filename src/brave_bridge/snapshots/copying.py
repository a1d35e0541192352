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
from typing import ClassVar

import msgspec

from brave_bridge.snapshots.cover import Cover
from brave_bridge.snapshots.files import (
    Cloner,
    copy_content,
    describe_open,
    describe_special,
    dress_new,
    make_special,
    open_ahead,
    open_to_read,
    place_entry,
    set_attributes,
)
from brave_bridge.snapshots.folders import Listing, list_folder, open_folder, open_root, opened
from brave_bridge.snapshots.manifest import (
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

_TRIES = 3
_ASKED_FOR_AHEAD = 64
"""Files of a folder that are open at a time, so that the disk can bring them together."""

_LESS_ATTRIBUTES = (errno.EPERM, errno.EOPNOTSUPP, errno.ENOTSUP, errno.EINVAL, errno.EACCES)
"""What a folder that keeps snapshots may refuse: the manifest has all attributes anyway."""


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
    ``previous`` and ``known`` are the files and the manifest of the snapshot before.
    """

    root: str
    cover: Cover
    spools: str
    target: str = ""
    anchors: str = ""
    previous: str = ""
    known: str = ""

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
        self.device = os.fstat(self.root).st_dev
        self.target = open_root(job.target) if job.target else -1
        self.anchors = open_root(job.anchors) if job.anchors else -1
        self.previous = open_root(job.previous) if job.previous else -1
        self.known = Manifest(Path(job.known)) if job.known else None
        self.spool = open(spool_path(job.spools, number), "ab")  # noqa: SIM115
        self.cloner = Cloner()
        self._ahead: dict[str, int] = {}
        self._written = 0
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
        with contextlib.ExitStack() as stack:
            stack.callback(os.close, source)
            self._source = source
            self._copy = stack.enter_context(opened(self.target, path)) if self.target >= 0 else -1
            self._before = self._open_before(path, stack)
            lines = self._copy_folder(path)
        text = b"\n".join(lines) + b"\n"
        self.spool.write(text)
        self._written += len(text)
        self._result.length = len(text)
        self._result.entries = len(lines)
        return self._result

    def _open_before(self, path: str, stack: contextlib.ExitStack) -> int:
        if self.previous < 0:
            return -1
        try:
            return stack.enter_context(opened(self.previous, path))
        except OSError:
            return -1

    def _copy_folder(self, path: str) -> list[bytes]:
        status = os.fstat(self._source)
        folder = describe_open(path, self._source, status, "")
        listing = list_folder(self._source, path, self.device, self.leaver)
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
            self._dress(folder, self._copy)
        return lines

    def _places(self, path: str, listing: Listing) -> list[bytes]:
        lines = []
        for name, status in listing.places.items():
            if self._copy >= 0:
                os.mkdir(name, 0o700, dir_fd=self._copy)
            lines.append(encode_entry(place_entry(joined(path, name), status)))
        return lines

    def _others(self, path: str, listing: Listing) -> list[bytes]:
        found = list(self._met(path, listing))
        lines: list[bytes] = []
        for start in range(0, len(found), _ASKED_FOR_AHEAD):
            handful = found[start : start + _ASKED_FOR_AHEAD]
            self._ask_for(handful)
            try:
                lines += self._handful(path, handful)
            finally:
                for descriptor in self._ahead.values():
                    os.close(descriptor)
                self._ahead.clear()
        return lines

    def _met(self, path: str, listing: Listing) -> Iterator[Found]:
        """What is in a folder; with the line of the snapshot before for what is as it was then."""
        known = self._known_lines(path) if listing.others else {}
        for name, status in listing.others.items():
            before = known.get(encoded_path(name)) if known else None
            is_as_before = before is not None and is_untouched(before[0], status)
            yield name, status, before[1] if is_as_before else b""

    def _ask_for(self, handful: list[Found]) -> None:
        """Have the disk bring the files of a folder that will be copied, all at once."""
        if self._copy < 0 or len(handful) < 2:
            return
        for name, status, line in handful:
            if not line and status.st_nlink == 1 and type_of(status.st_mode) == FILE:
                with contextlib.suppress(OSError):
                    self._ahead[name] = open_ahead(name, self._source, status.st_size)

    def _handful(self, path: str, handful: list[Found]) -> Iterator[bytes]:
        for name, status, line in handful:
            try:
                if not line or not self._linked(name):
                    line = encode_entry(self._copied(joined(path, name), name, status))
            except FileNotFoundError:
                self._vanished(joined(path, name))
                continue
            yield line
            if type_of(status.st_mode) == FILE:
                self._result.bytes_covered += status.st_size

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

    def _copied(self, path: str, name: str, status: os.stat_result) -> Entry:
        if type_of(status.st_mode) != FILE:
            entry = describe_special(path, name, self._source, status)
            if self._copy >= 0:
                self._copy_special(entry, name)
            return entry
        if self._copy < 0:
            return self._described(path, name)
        if status.st_nlink > 1:
            return self._copy_linked_file(path, name, status)
        return self._copy_file(path, name, name, self._copy, status)

    def _described(self, path: str, name: str) -> Entry:
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
            if error.errno not in _LESS_ATTRIBUTES:
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
            entry = self._copy_file(path, name, "file", folder, status)
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
                kept = msgspec.json.decode(stream.read(), type=Entry)
        return msgspec.structs.replace(kept, path=encoded_path(path))

    def _copy_file(
        self, path: str, name: str, target_name: str, target_folder: int, before: os.stat_result
    ) -> Entry:
        """Copy a file that was like ``before``; again, where it is another afterwards."""
        for attempt in range(_TRIES):
            source = self._ahead.pop(name, -1)
            if source < 0:
                source = open_to_read(name, self._source)
            copy = -1
            try:
                flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW
                # No folder on the way to it can be entered by others before it is dressed.
                mode = before.st_mode & 0o777
                copy = os.open(target_name, flags, mode, dir_fd=target_folder)
                digest, length = copy_content(source, copy, before, self.cloner)
                after = os.fstat(source)
                self._result.bytes_copied += length
                stable = _written(before) == _written(after) and length == after.st_size
                if stable or attempt == _TRIES - 1:
                    entry = describe_open(path, source, after, digest)
                    self._dress(entry, copy)
                    break
                before = after
            finally:
                os.close(source)
                if copy >= 0:
                    os.close(copy)
        if not stable:
            self._result.unstable.append(entry.path)
            entry = msgspec.structs.replace(entry, size=length, ctime_ns=0)
        return entry

    def _dress(self, entry: Entry, copy: int) -> None:
        bare = msgspec.structs.replace(entry, flags=0) if entry.flags else entry
        try:
            dress_new(bare, copy, os.fstat(copy))
        except OSError as error:
            if error.errno not in _LESS_ATTRIBUTES:
                raise
            with contextlib.suppress(OSError):
                os.utime(copy, ns=(entry.mtime_ns, entry.mtime_ns))


def _written(status: os.stat_result) -> tuple[int, int, int]:
    return status.st_size, status.st_mtime_ns, status.st_ctime_ns
