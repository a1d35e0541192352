"""Reading what a return leaves alone while it is at work, so that less is left to read after it.

A copy of this process does it, with the least right to a processor, of what the kernel holds in
memory: no disk is kept from the return. What was read and holds what the manifest says needs no
second look as long as it is the very inode, not written to since.
"""

import contextlib
import os
import signal

from brave_bridge.machines.aside import be_a_copy, can_be_copied, close_from
from brave_bridge.snapshots.jobs.compare import CompareJob, FolderCompared, FolderComparer
from brave_bridge.snapshots.trees.manifest import FILE, Entry, is_untouched

_LEAST_RIGHT = 19
"""See nice(2)."""

_LARGEST = 64 << 20
"""Larger files are left to the comparison: the reader ends soon after a return that is killed."""

_TOLD = 3
"""The descriptor of the copy to which it writes what it has read."""


class ReadingAhead:
    """A copy of this process that reads the folders of a comparison by content, one by one.

    OSError where there can be no copy.
    """

    def __init__(self, job: CompareJob) -> None:
        parent = os.getpid()
        self._told = os.memfd_create("read-ahead")
        try:
            self._pid = os.fork()
        except OSError:
            os.close(self._told)
            raise
        if self._pid == 0:
            try:
                be_a_copy()
                # What the return has open goes with the return, its lock too.
                os.dup2(self._told, _TOLD)
                close_from(_TOLD + 1)
                os.nice(_LEAST_RIGHT)
                _read(job, parent)
            finally:
                # Nothing of the process that this is a copy of is ended twice.
                os._exit(0)

    def end(self) -> frozenset[str]:
        """End it; the folders of which all that nobody had touched holds what it should."""
        os.kill(self._pid, signal.SIGKILL)
        os.waitpid(self._pid, 0)
        with os.fdopen(self._told, "rb") as stream:
            stream.seek(0)
            *folders, _ = stream.read().split(b"\0")
        return frozenset(folder.decode() for folder in folders)


def reading_ahead(job: CompareJob) -> ReadingAhead | None:
    """Begin to read; None where there can be no copy, or none that is sound.

    A return does not need it.
    """
    if can_be_copied() and hasattr(os, "memfd_create"):
        with contextlib.suppress(OSError):
            return ReadingAhead(job)
    return None


def _read(job: CompareJob, parent: int) -> None:
    reader = _Reader(job)
    pending = [""]
    while pending and os.getppid() == parent:
        item = pending.pop()
        # What is moved or changed meanwhile is left to the comparison.
        with contextlib.suppress(OSError):
            pending += reader.do(item).more
            if reader.holds:
                os.write(_TOLD, item.encode() + b"\0")


class _Reader(FolderComparer):
    """Reads what nobody has touched, and looks at nothing else."""

    holds = False

    def do(self, item: str) -> FolderCompared:
        """See FolderComparer; ``holds`` tells whether all that it read is as it should be."""
        self.holds = True
        return super().do(item)

    def _compare(self, entry: Entry, name: str, parent: int, status: os.stat_result) -> None:
        if entry.type == FILE and entry.what and is_untouched(entry, status):
            self.holds = self.holds and self._holds(entry, name, parent, status)

    def _content_holds(self, entry: Entry, descriptor: int, status: os.stat_result) -> bool:
        size = status.st_size
        is_quick = size <= _LARGEST and _is_in_memory(descriptor, size)
        return is_quick and super()._content_holds(entry, descriptor, status)


def _is_in_memory(descriptor: int, size: int) -> bool:
    """Whether a file's two ends can be read without waiting for a disk (preadv2(2), RWF_NOWAIT)."""
    return all(_is_there(descriptor, at) for at in {0, max(size - 1, 0)} if size)


def _is_there(descriptor: int, at: int) -> bool:
    with contextlib.suppress(OSError):
        return os.preadv(descriptor, [bytearray(1)], at, os.RWF_NOWAIT) == 1
    return False
