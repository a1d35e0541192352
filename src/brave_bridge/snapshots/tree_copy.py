"""Snapshots by copy, for any file system.

A later snapshot hard-links what is unchanged to the snapshot before it, never to the
live tree. Content is hashed while it is copied. A file that changes while it is read is
copied again; what stays unstable, and what vanished, is listed.
"""

import errno
import os
from collections.abc import Callable
from pathlib import Path

import msgspec

from brave_bridge.snapshots.cover import Cover
from brave_bridge.snapshots.files import (
    copy_content,
    make_special,
    open_to_read,
    set_attributes,
)
from brave_bridge.snapshots.manifest import (
    FILE,
    FOLDER,
    Entry,
    LinkGroups,
    Seen,
    describe,
    is_untouched,
    type_of,
    walk,
)

_TRIES = 3

Progress = Callable[[int, int], None]
"""Called with the entries and bytes so far."""


class CopyReport(msgspec.Struct):
    """What a copy came to."""

    entries: int = 0
    bytes_copied: int = 0
    linked: int = 0
    vanished: list[str] = []
    unstable: list[str] = []
    sockets: list[str] = []


class TreeCopy:
    """One copy of a live tree into an empty folder."""

    def __init__(
        self, root: Path, target: Path, cover: Cover, previous: Path | None,
        known: dict[str, Entry], progress: Progress | None = None,
    ) -> None:  # fmt: skip
        self.root = root
        self.target = target
        self.cover = cover
        self.previous = previous
        self.known = known
        self.progress = progress or (lambda entries, size: None)
        self.report = CopyReport()
        self._groups = LinkGroups()
        self._first_names: dict[int, Entry] = {}
        self._entries: list[Entry] = []

    def copy(self) -> list[Entry]:
        """Copy everything that is covered; the manifest's entries in path order."""
        target = os.open(self.target, os.O_RDONLY | os.O_DIRECTORY)
        previous = os.open(self.previous, os.O_RDONLY | os.O_DIRECTORY) if self.previous else None
        try:
            for seen in walk(self.root, self.cover):
                self._copy_path(seen, target, previous)
            for entry in reversed(self._entries):
                if entry.type == FOLDER:
                    set_attributes(entry, entry.raw_path or b".", target)
        finally:
            os.close(target)
            if previous is not None:
                os.close(previous)
        return self._entries

    def _copy_path(self, seen: Seen, target: int, previous: int | None) -> None:
        kind = type_of(seen.status.st_mode)
        if not kind:
            self.report.sockets.append(os.fsdecode(seen.path))
            return
        try:
            entry = (
                self._copy_file(seen, target, previous)
                if kind == FILE
                else self._copy_special(seen, target)
            )
        except FileNotFoundError:
            self.report.vanished.append(os.fsdecode(seen.path))
            return
        self._entries.append(entry)
        self.report.entries += 1
        if self.report.entries % 500 == 0:
            self.progress(self.report.entries, self.report.bytes_copied)

    def _copy_special(self, seen: Seen, target: int) -> Entry:
        links = self._groups.number(seen.status)
        entry = describe(seen, links)
        if not seen.path:
            return entry
        first = self._first_names.get(links)
        if first is not None:
            os.link(
                first.raw_path,
                seen.path,
                src_dir_fd=target,
                dst_dir_fd=target,
                follow_symlinks=False,
            )
            return msgspec.structs.replace(first, path=entry.path)
        make_special(entry, seen.path, target)
        if entry.type != FOLDER:
            set_attributes(entry, seen.path, target)
        if links:
            self._first_names[links] = entry
        return entry

    def _copy_file(self, seen: Seen, target: int, previous: int | None) -> Entry:
        links = self._groups.number(seen.status)
        first = self._first_names.get(links) if links else None
        if first is not None:
            os.link(first.raw_path, seen.path, src_dir_fd=target, dst_dir_fd=target)
            return msgspec.structs.replace(first, path=describe(seen, links, "").path)
        entry = self._linked(seen, links, target, previous) or self._copied(seen, links, target)
        if links:
            self._first_names[links] = entry
        return entry

    def _linked(self, seen: Seen, links: int, target: int, previous: int | None) -> Entry | None:
        """The file as a further name of the previous snapshot's, where it is unchanged."""
        entry = describe(seen, links, "")
        before = self.known.get(entry.path)
        if previous is None or before is None or not is_untouched(before, seen.status):
            return None
        entry = msgspec.structs.replace(entry, what=before.what)
        if not before.same_as(entry):
            return None
        try:
            os.link(seen.path, seen.path, src_dir_fd=previous, dst_dir_fd=target)
        except OSError as error:
            if error.errno in (errno.EMLINK, errno.ENOENT):
                return None
            raise
        self.report.linked += 1
        return entry

    def _copied(self, seen: Seen, links: int, target: int) -> Entry:
        for attempt in range(_TRIES):
            source = open_to_read(seen.name, seen.parent)
            copy = -1
            try:
                before = os.fstat(source)
                flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW
                copy = os.open(seen.path, flags, 0o600, dir_fd=target)
                sparse = before.st_blocks * 512 < before.st_size
                content_hash = copy_content(source, copy, sparse=sparse)
                after = os.fstat(source)
            finally:
                os.close(source)
                if copy >= 0:
                    os.close(copy)
            self.report.bytes_copied += after.st_size
            if _written(before) == _written(after):
                break
            if attempt == _TRIES - 1:
                self.report.unstable.append(os.fsdecode(seen.path))
        entry = describe(msgspec.structs.replace(seen, status=after), links, content_hash)
        set_attributes(entry, seen.path, target)
        return entry


def _written(status: os.stat_result) -> tuple[int, int, int]:
    return status.st_size, status.st_mtime_ns, status.st_ctime_ns
