"""Returning a live tree to a snapshot: compare, stage, swap, clean up.

Everything that must come back is first copied beside the tree on the same file system
and checked against the manifest, so a damaged snapshot is found before the live tree is
touched. Then each path is swapped in by one rename. The work is found by comparing, so
after a kill at any instant a second run finishes it and ends in the same state.
"""

import contextlib
import os
import shutil
import stat
import time
from collections.abc import Callable
from pathlib import Path
from urllib.parse import unquote_to_bytes

import msgspec

from brave_bridge.snapshots.cover import Cover
from brave_bridge.snapshots.files import (
    copy_content,
    exchange,
    make_special,
    open_to_read,
    set_attributes,
    sync_file_system,
)
from brave_bridge.snapshots.manifest import FILE, FOLDER, Entry, scan


class DamagedSnapshot(Exception):
    """A file of the snapshot is missing or not what the manifest says. Nothing was changed."""


class Preview(msgspec.Struct, frozen=True):
    """What a return would do: paths that come back, change, or go, and the bytes to copy."""

    missing: tuple[str, ...]
    changed: tuple[str, ...]
    attributes: tuple[str, ...]
    extra: tuple[str, ...]
    bytes_to_copy: int

    @property
    def count(self) -> int:
        """How many paths differ."""
        return len(self.missing) + len(self.changed) + len(self.attributes) + len(self.extra)

    def named(self, most: int = 5) -> list[str]:
        """The first differences of each kind in words: ``/path: what``."""
        return [
            f"/{path}: {what}"
            for paths, what in (
                (self.missing, "missing"),
                (self.changed, "other content"),
                (self.attributes, "other attributes"),
                (self.extra, "not in the snapshot"),
            )
            for path in paths[:most]
        ]


class RestoreReport(msgspec.Struct, frozen=True):
    """What a return did."""

    put_back: int
    removed: int
    bytes_copied: int
    seconds: float


def compare(root: Path, cover: Cover, wanted: dict[str, Entry]) -> Preview:
    """Hold a live tree against a manifest by content.

    A file is read unless it is the very inode that was copied, unwritten since.
    """
    live = {entry.path: entry for entry in scan(root, cover, wanted)}
    regrouped = _regrouped(wanted, live)
    missing, changed, attributes = [], [], []
    size = 0
    for path, entry in wanted.items():
        present = live.get(path)
        if present is None:
            missing.append(path)
            size += entry.size
        elif path in regrouped or _content(present) != _content(entry):
            changed.append(path)
            size += entry.size
        elif not entry.same_as(present):
            attributes.append(path)
    extra = [path for path in live if path not in wanted]
    return Preview(tuple(missing), tuple(changed), tuple(attributes), tuple(extra), size)


def _content(entry: Entry) -> tuple[str, str, int]:
    return entry.type, entry.what, entry.size


def _regrouped(wanted: dict[str, Entry], live: dict[str, Entry]) -> set[str]:
    """The paths whose hard links are not as they were."""
    before, now = _groups(wanted), _groups(live)
    return {
        path
        for path in before.keys() | now.keys()
        if path in wanted and before.get(path) != now.get(path)
    }


def _groups(entries: dict[str, Entry]) -> dict[str, frozenset[str]]:
    members: dict[int, set[str]] = {}
    for path, entry in entries.items():
        if entry.links:
            members.setdefault(entry.links, set()).add(path)
    return {
        path: frozenset(group) for group in members.values() if len(group) > 1 for path in group
    }


class Restoration:
    """One return of ``root`` to the snapshot whose files stand under ``tree``."""

    def __init__(
        self, root: Path, tree: Path, cover: Cover, wanted: dict[str, Entry], staging: Path,
        progress: Callable[[str, int, int], None] | None = None,
    ) -> None:  # fmt: skip
        self.root = root
        self.tree = tree
        self.cover = cover
        self.wanted = wanted
        self.staging = staging
        self.progress = progress or (lambda phase, done, total: None)
        self._bytes = 0

    def restore(self) -> RestoreReport:
        """Make the live tree equal to the snapshot; DamagedSnapshot before anything is touched."""
        began = time.monotonic()
        shutil.rmtree(self.staging, ignore_errors=True)
        preview = compare(self.root, self.cover, self.wanted)
        files = [
            path for path in preview.missing + preview.changed if self.wanted[path].type != FOLDER
        ]
        staged = self._prepare(files)
        self._swap(preview, staged)
        sync_file_system(self.root)
        shutil.rmtree(self.staging, ignore_errors=True)
        self._settle_folders()
        sync_file_system(self.root)
        put_back = len(preview.missing) + len(preview.changed) + len(preview.attributes)
        return RestoreReport(put_back, len(preview.extra), self._bytes, time.monotonic() - began)

    def _prepare(self, files: list[str]) -> dict[str, bytes]:
        """Stage, and leave nothing behind where that fails."""
        times = os.stat(self.root)
        self.staging.mkdir(mode=0o700)
        try:
            staged = self._stage(files)
            sync_file_system(self.staging)
        except (DamagedSnapshot, OSError):
            shutil.rmtree(self.staging, ignore_errors=True)
            os.utime(self.root, ns=(times.st_atime_ns, times.st_mtime_ns))
            raise
        return staged

    def _stage(self, paths: list[str]) -> dict[str, bytes]:
        """Copy what must come back into the staging folder; path to its name there."""
        source = os.open(self.tree, os.O_RDONLY | os.O_DIRECTORY)
        target = os.open(self.staging, os.O_RDONLY | os.O_DIRECTORY)
        staged: dict[str, bytes] = {}
        first_names: dict[int, bytes] = {}
        try:
            for number, path in enumerate(paths):
                entry, name = self.wanted[path], b"%d" % number
                first = first_names.get(entry.links) if entry.links else None
                if first is not None:
                    os.link(
                        first, name, src_dir_fd=target, dst_dir_fd=target, follow_symlinks=False
                    )
                else:
                    self._stage_one(entry, name, source, target)
                    if entry.links:
                        first_names[entry.links] = name
                staged[path] = name
                if number % 200 == 0:
                    self.progress("staging", number, len(paths))
        finally:
            os.close(source)
            os.close(target)
        return staged

    def _stage_one(self, entry: Entry, name: bytes, source: int, target: int) -> None:
        if entry.type != FILE:
            make_special(entry, name, target)
            set_attributes(entry, name, target)
            return
        try:
            original = open_to_read(entry.raw_path, source)
        except OSError as error:
            raise DamagedSnapshot(f"/{entry.path}: {error.strerror}") from error
        copy = os.open(name, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600, dir_fd=target)
        try:
            found = copy_content(original, copy, sparse=True)
        finally:
            os.close(original)
            os.close(copy)
        if found != entry.what:
            raise DamagedSnapshot(f"/{entry.path}: its content is not what was copied")
        self._bytes += entry.size
        set_attributes(entry, name, target)

    def _swap(self, preview: Preview, staged: dict[str, bytes]) -> None:
        """Folders first, then each staged path by one rename, then what must go.

        The shallowest come first, so a folder is there before what is in it.
        """
        root = os.open(self.root, os.O_RDONLY | os.O_DIRECTORY)
        staging = os.open(self.staging, os.O_RDONLY | os.O_DIRECTORY)
        paths = sorted(preview.missing + preview.changed, key=self._depth)
        try:
            for number, path in enumerate(paths):
                self._put(self.wanted[path], staged.get(path), root, staging)
                if number % 200 == 0:
                    self.progress("swapping", number, len(paths))
            for path in preview.attributes:
                entry = self.wanted[path]
                set_attributes(entry, entry.raw_path or b".", root)
            for path in sorted(preview.extra, key=lambda path: -self._depth(path)):
                if self._stands_in_folders(path):
                    self._drop(path, root)
        finally:
            os.close(root)
            os.close(staging)

    @staticmethod
    def _depth(path: str) -> int:
        return path.count("/")

    @staticmethod
    def _put(entry: Entry, staged: bytes | None, root: int, staging: int) -> None:
        place = entry.raw_path
        if entry.type == FOLDER:
            _make_folder(place, root)
            return
        try:
            os.rename(staged, place, src_dir_fd=staging, dst_dir_fd=root)
        except IsADirectoryError:
            # What stood there goes to the staging folder and is cleaned up with it.
            exchange(staged, staging, place, root)

    def _stands_in_folders(self, path: str) -> bool:
        """Whether no folder above the path has become a link, which would lead elsewhere."""
        above = path.rpartition("/")[0]
        while above:
            entry = self.wanted.get(above)
            if entry is not None and entry.type != FOLDER:
                return False
            above = above.rpartition("/")[0]
        return True

    @staticmethod
    def _drop(path: str, root: int) -> None:
        """Remove what the snapshot does not have; a folder only once nothing covered is in it."""
        place = unquote_to_bytes(path)
        try:
            os.unlink(place, dir_fd=root)
        except FileNotFoundError:
            return
        except (IsADirectoryError, PermissionError):
            with contextlib.suppress(OSError):
                os.rmdir(place, dir_fd=root)

    def _settle_folders(self) -> None:
        """Give folders their owner, mode and time again, the innermost first."""
        root = os.open(self.root, os.O_RDONLY | os.O_DIRECTORY)
        try:
            for entry in sorted(self.wanted.values(), key=lambda e: -self._depth(e.path)):
                if entry.type == FOLDER:
                    set_attributes(entry, entry.raw_path or b".", root)
        finally:
            os.close(root)


def _make_folder(place: bytes, root: int) -> None:
    """Make a folder, in the place of whatever else stands there."""
    try:
        if stat.S_ISDIR(os.stat(place, dir_fd=root, follow_symlinks=False).st_mode):
            return
        os.unlink(place, dir_fd=root)
    except FileNotFoundError:
        pass
    os.mkdir(place, 0o700, dir_fd=root)
