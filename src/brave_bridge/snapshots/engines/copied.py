"""Snapshots by copy: for every file system; unchanged files are shared with the one before."""

import contextlib
import errno
import os
from collections.abc import Iterator, Sequence
from pathlib import Path

from brave_bridge.core.ways_back.recovery_card import RESCUE_ROOT
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.engines.engine import Engine, Mounted, Part, Use
from brave_bridge.snapshots.jobs.large_removal import remove_large_tree
from brave_bridge.snapshots.jobs.tree_copy import (
    CopyReport,
    Progress,
    copy_tree,
    covered_bytes,
    covered_entries,
)
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.folders import opened, opened_root
from brave_bridge.snapshots.trees.manifest import joined
from brave_bridge.snapshots.trees.system_calls import sync_file_system

_SHARES_BLOCKS = ("btrfs", "xfs")
_FEW_INODES = 100


class TreeCopyEngine(Engine):
    """Files copied to a folder, with hashes; the live tree is never shared with."""

    name = "copy"
    kept = "by copy"
    copies = True
    by_rescue_tool = True

    def why(self, mounted: Mounted, store: Path) -> str:
        kind = mounted.type or "this file system"
        if kind in _SHARES_BLOCKS:
            return f"files are copied; {kind} shares the blocks of what is on the same disk"
        return f"{kind} keeps no snapshots of its own: files are copied, unchanged ones shared"

    def take(
        self,
        mounted: Mounted,
        cover: Cover,
        folder: Beneath,
        place: str,
        previous: Beneath | None,
        progress: Progress,
    ) -> CopyReport:
        if previous is None:
            _check_room(mounted, cover, folder.path)
            _check_inodes(mounted, cover, folder.path)
        try:
            report = copy_tree(mounted.folder, cover, folder, previous, progress)
        except OSError as error:
            raise _as_seen(error, folder.path) from error
        sync_file_system(folder.path)
        return report

    @contextlib.contextmanager
    def shown(self, part: Part, folder: Beneath, mounted: Mounted) -> Iterator[Path]:
        yield (folder / "tree").path

    def delete(self, part: Part, folder: Beneath, mounted: Mounted | None) -> None:
        remove_large_tree("tree", folder.path)

    def fault(self, part: Part, folder: Beneath) -> str:
        return "" if (folder / "tree").is_folder() else f"its files of {part.mount} are missing"

    def by_hand(self, root: Mounted, tree: str, spared: Sequence[str]) -> tuple[str, ...]:
        if not tree:
            return ()
        skips = " ".join(f"--exclude={path}" for path in spared)
        return (f"rsync -aHAX --delete {skips} {RESCUE_ROOT}{tree}/ {RESCUE_ROOT}/",)

    def use(self, part: Part, folder: Beneath) -> Use:
        """Files that no other snapshot has a name of are held alone."""
        mine = _files_in((folder / "tree").path)
        alone = shared = 0
        for size, names, links in mine.values():
            if names >= links:
                alone += size
            else:
                shared += size
        return Use(alone, shared)


def _check_room(mounted: Mounted, cover: Cover, folder: Path) -> None:
    """Refuse at once where a first copy cannot fit."""
    room = os.statvfs(folder)
    free = room.f_bavail * room.f_frsize
    if mounted.type in _SHARES_BLOCKS:
        if os.stat(folder).st_dev == os.stat(mounted.folder).st_dev:
            return
    elif _in_use(mounted.folder) <= free:
        return
    if (needed := covered_bytes(mounted.folder, cover, until=free)) > free:
        raise OSError(
            errno.ENOSPC, f"no room: {needed >> 20} MiB or more are needed, {free >> 20} MiB free"
        )


def _check_inodes(mounted: Mounted, cover: Cover, folder: Path) -> None:
    """The same for inodes, of which a first copy needs one for each file and folder."""
    free, source = os.statvfs(folder), os.statvfs(mounted.folder)
    if not free.f_files or (source.f_files and source.f_files - source.f_ffree <= free.f_favail):
        return
    if (needed := covered_entries(mounted.folder, cover, until=free.f_favail)) > free.f_favail:
        words = f"too few inodes: {needed} or more are needed, {free.f_favail} are free"
        raise OSError(errno.ENOSPC, words, str(folder))


def _as_seen(error: OSError, folder: Path) -> OSError:
    """Of a disk that is full: whether it is bytes or inodes that it has no more of."""
    room = os.statvfs(folder)
    if error.errno == errno.ENOSPC and room.f_files and room.f_favail < _FEW_INODES:
        words = f"too few inodes: {room.f_favail} are free, and each file and folder needs one"
        return OSError(errno.ENOSPC, words, str(folder))
    return error


def _in_use(folder: Path) -> int:
    """The bytes that all files of a file system take, where none share blocks."""
    usage = os.statvfs(folder)
    return (usage.f_blocks - usage.f_bfree) * usage.f_frsize


def _files_in(tree: Path) -> dict[int, tuple[int, int, int]]:
    """The files of a tree by inode: bytes on disk, names met here, names in all."""
    found: dict[int, tuple[int, int, int]] = {}
    pending = [""]
    with opened_root(tree) as root:
        while pending:
            path = pending.pop()
            with opened(root, path) as folder, os.scandir(folder) as listing:
                for item in listing:
                    if item.is_dir(follow_symlinks=False):
                        pending.append(joined(path, item.name))
                        continue
                    status = item.stat(follow_symlinks=False)
                    _, names, _ = found.get(status.st_ino, (0, 0, 0))
                    found[status.st_ino] = (status.st_blocks * 512, names + 1, status.st_nlink)
    return found
