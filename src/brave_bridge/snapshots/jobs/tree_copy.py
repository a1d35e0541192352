"""A snapshot's files and manifest, made by a crew: copied, or only described."""

import errno
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.jobs.copy import CopyJob, FolderCopied, spool_path
from brave_bridge.snapshots.jobs.crew import HELPERS, carry_out, most_helpers
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.flushing import Flushing
from brave_bridge.snapshots.trees.folders import (
    Boundary,
    Listing,
    list_folder,
    opened,
    opened_root,
)
from brave_bridge.snapshots.trees.manifest import FILE, ManifestWriter, joined, type_of
from brave_bridge.snapshots.trees.mounts import mounts_below
from brave_bridge.snapshots.trees.sums import write_sums

Progress = Callable[[int, int], None]
"""Called with the entries and the bytes covered so far."""

_MOST_NAMED = 200
_SPOOLS = "spools"
_LIKE_ROOTS = 0o755


class CopyReport(msgspec.Struct):
    """What a copy came to; the lists name paths as a manifest writes them, the first of many."""

    checksum: str = ""
    entries: int = 0
    bytes_covered: int = 0
    bytes_copied: int = 0
    vanished: list[str] = []
    unstable: list[str] = []
    apart: list[str] = []
    sockets: list[str] = []

    def add(self, folder: FolderCopied) -> None:
        """Count a folder in."""
        self.entries += folder.entries
        self.bytes_covered += folder.bytes_covered
        self.bytes_copied += folder.bytes_copied
        for mine, theirs in (
            (self.vanished, folder.vanished),
            (self.unstable, folder.unstable),
            (self.apart, folder.apart),
            (self.sockets, folder.sockets),
        ):
            if theirs:
                mine.extend(theirs[: max(_MOST_NAMED - len(mine), 0)])


def _nothing(entries: int, size: int) -> None:
    pass


def copy_tree(
    root: Path,
    cover: Cover,
    folder: Beneath,
    previous: Beneath | None = None,
    progress: Progress = _nothing,
    helpers: int = HELPERS,
) -> CopyReport:
    """Copy ``root`` to ``folder``/tree and write ``folder``/manifest.jsonl, which must not exist.

    SHA256SUMS or B2SUMS beside it say the same of the contents to coreutils.

    ``previous`` is the like folder of an earlier snapshot on the same file system, to be
    shared with. OSError where anything but a vanished file cannot be read or written.
    """
    (folder / "tree").make_new_folder(_LIKE_ROOTS)
    (folder / "anchors").make_new_folder()
    job = CopyJob(
        root=str(root),
        cover=cover,
        spools=str(folder / _SPOOLS),
        target=str(folder / "tree"),
        anchors=str(folder / "anchors"),
        previous=str(previous / "tree") if previous else "",
        known=str(previous / "manifest.jsonl") if previous else "",
        mounts=mounts_below(root),
    )
    report = _carried_out(job, folder, progress, helpers)
    write_sums(folder)
    (folder / "anchors").remove_all()
    return report


def describe_tree(
    root: Path,
    cover: Cover,
    folder: Beneath,
    progress: Progress = _nothing,
    helpers: int = HELPERS,
    live: Path | None = None,
) -> CopyReport:
    """Only write ``folder``/manifest.jsonl for the tree at ``root``, contents unread.

    ``live`` is the tree that it is a snapshot of: what is mounted there is no part of it.
    """
    mounts = mounts_below(live or root)
    job = CopyJob(root=str(root), cover=cover, spools=str(folder / _SPOOLS), mounts=mounts)
    return _carried_out(job, folder, progress, helpers)


def _carried_out(job: CopyJob, folder: Beneath, progress: Progress, helpers: int) -> CopyReport:
    spools = folder / _SPOOLS
    spools.make_new_folder()
    report = CopyReport()
    writer = ManifestWriter((folder / "manifest.jsonl").path)
    paths = [spool_path(job.spools, number) for number in range(most_helpers(helpers) + 1)]
    with Flushing(folder.path) as flushing:
        for done in carry_out(job, [""], helpers):
            if done.length:
                writer.add(done.folder, paths[done.spool], done.offset, done.length)
            report.add(done)
            flushing.written(report.bytes_copied)
            progress(report.entries, report.bytes_covered)
    report.checksum = writer.finish()
    spools.remove_all()
    return report


def covered_bytes(root: Path, cover: Cover, until: int = 1 << 62) -> int:
    """The bytes that the covered files take on disk, hard links once; or soon after ``until``."""
    total, counted = 0, set()
    for listing in _listings(root, cover):
        for status in listing.others.values():
            if status.st_nlink > 1 and status.st_ino in counted:
                continue
            if type_of(status.st_mode) == FILE:
                counted.add(status.st_ino)
                total += status.st_blocks * 512
        if total > until:
            break
    return total


def covered_entries(root: Path, cover: Cover, until: int = 1 << 62) -> int:
    """How many files and folders are covered, hard links once; or soon after ``until``."""
    total, linked = 1, set()
    for listing in _listings(root, cover):
        others = listing.others.values()
        total += len(listing.folders) + sum(status.st_nlink == 1 for status in others)
        linked |= {status.st_ino for status in others if status.st_nlink > 1}
        if total + len(linked) > until:
            break
    return total + len(linked)


def _listings(root: Path, cover: Cover) -> Iterator[Listing]:
    """What is covered of a tree, folder by folder; what vanishes meanwhile is not met."""
    leaver, pending = cover.leaver(), [""]
    with opened_root(root) as top:
        boundary = Boundary(top, mounts_below(root))
        while pending:
            path = pending.pop()
            try:
                with opened(top, path) as folder:
                    listing = list_folder(folder, path, boundary, leaver)
            except OSError as error:
                if error.errno in (errno.ENOENT, errno.ENOTDIR):
                    continue
                raise
            pending += [joined(path, name) for name in listing.folders]
            yield listing
