"""A snapshot's files and manifest, made by a crew: copied, or only described."""

import errno
import shutil
from collections.abc import Callable
from pathlib import Path

import msgspec

from brave_bridge.snapshots.jobs.copy import CopyJob, FolderCopied, spool_path
from brave_bridge.snapshots.jobs.crew import HELPERS, carry_out, most_helpers
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.flushing import Flushing
from brave_bridge.snapshots.trees.folders import Boundary, list_folder, opened, opened_root
from brave_bridge.snapshots.trees.manifest import FILE, ManifestWriter, joined, type_of
from brave_bridge.snapshots.trees.mounts import mounts_below
from brave_bridge.snapshots.trees.sums import write_sums

Progress = Callable[[int, int], None]
"""Called with the entries and the bytes covered so far."""

_MOST_NAMED = 200


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
    folder: Path,
    previous: Path | None = None,
    progress: Progress = _nothing,
    helpers: int = HELPERS,
) -> CopyReport:
    """Copy ``root`` to ``folder``/tree and write ``folder``/manifest.jsonl, which must not exist.

    SHA256SUMS or B2SUMS beside it say the same of the contents to coreutils.

    ``previous`` is the like folder of an earlier snapshot on the same file system, to be
    shared with. OSError where anything but a vanished file cannot be read or written.
    """
    (folder / "tree").mkdir()
    (folder / "anchors").mkdir()
    job = CopyJob(
        root=str(root),
        cover=cover,
        spools=str(folder / "spools"),
        target=str(folder / "tree"),
        anchors=str(folder / "anchors"),
        previous=str(previous / "tree") if previous else "",
        known=str(previous / "manifest.jsonl") if previous else "",
        mounts=mounts_below(root),
    )
    report = _carried_out(job, folder, progress, helpers)
    write_sums(folder)
    shutil.rmtree(folder / "anchors")
    return report


def describe_tree(
    root: Path,
    cover: Cover,
    folder: Path,
    progress: Progress = _nothing,
    helpers: int = HELPERS,
    live: Path | None = None,
) -> CopyReport:
    """Only write ``folder``/manifest.jsonl for the tree at ``root``, contents unread.

    ``live`` is the tree that it is a snapshot of: what is mounted there is no part of it.
    """
    mounts = mounts_below(live or root)
    job = CopyJob(root=str(root), cover=cover, spools=str(folder / "spools"), mounts=mounts)
    return _carried_out(job, folder, progress, helpers)


def _carried_out(job: CopyJob, folder: Path, progress: Progress, helpers: int) -> CopyReport:
    spools = Path(job.spools)
    spools.mkdir()
    report = CopyReport()
    writer = ManifestWriter(folder / "manifest.jsonl")
    paths = [spool_path(job.spools, number) for number in range(most_helpers(helpers) + 1)]
    with Flushing(folder) as flushing:
        for done in carry_out(job, [""], helpers):
            if done.length:
                writer.add(done.folder, paths[done.spool], done.offset, done.length)
            report.add(done)
            flushing.written(report.bytes_copied)
            progress(report.entries, report.bytes_covered)
    report.checksum = writer.finish()
    shutil.rmtree(spools)
    return report


def covered_bytes(root: Path, cover: Cover, until: int = 1 << 62) -> int:
    """The bytes that the covered files take on disk, hard links once; or soon after ``until``."""
    leaver = cover.leaver()
    total, counted, pending = 0, set(), [""]
    with opened_root(root) as top:
        boundary = Boundary(top, mounts_below(root))
        while pending and total <= until:
            path = pending.pop()
            try:
                with opened(top, path) as folder:
                    listing = list_folder(folder, path, boundary, leaver)
            except OSError as error:
                if error.errno in (errno.ENOENT, errno.ENOTDIR):
                    continue
                raise
            pending += [joined(path, name) for name in listing.folders]
            for status in listing.others.values():
                if status.st_nlink > 1 and status.st_ino in counted:
                    continue
                if type_of(status.st_mode) == FILE:
                    counted.add(status.st_ino)
                    total += status.st_blocks * 512
    return total
