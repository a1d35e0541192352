"""Where tests keep what they make: in memory, where there is room enough for all of it.

A suite makes and removes some hundred thousand small files; on a disk that takes most of its time.
"""

import contextlib
import os
import shutil
import stat
from pathlib import Path

PLACE = Path("/dev/shm")
"""A file system in memory (tmpfs(5)) on every Linux system; containers have a small one."""

NEEDED_BYTES = 10 << 30
"""What a whole run has at once, and nearly as much again."""

_IN_THE_WAY = os.ST_NODEV | os.ST_NOSUID | os.ST_NOEXEC
"""Trees of whole systems have devices, and programs of which some are somebody's."""


def room_in_memory() -> Path | None:
    """A folder in memory for all that a run makes; None where it would not do."""
    try:
        if os.statvfs(PLACE).f_flag & _IN_THE_WAY or not os.access(PLACE, os.W_OK):
            return None
        _forget_runs_that_were_killed()
        free = min(shutil.disk_usage(PLACE).free, _available())
    except OSError:
        return None
    return PLACE if free >= NEEDED_BYTES else None


def _forget_runs_that_were_killed() -> None:
    """Let go of what they left: pytest does so after some days, and here it takes memory."""
    for folder in filter(_is_ours_alone, PLACE.glob("pytest-of-*")):
        for lock in folder.glob("pytest-*/.lock"):
            with contextlib.suppress(OSError):
                if not Path("/proc", lock.read_text()).exists():
                    shutil.rmtree(lock.parent, ignore_errors=True)


def _is_ours_alone(folder: Path) -> bool:
    """Whether nobody else can have put anything into a folder: everybody can make one here."""
    status = folder.lstat()
    private = stat.S_ISDIR(status.st_mode) and not status.st_mode & 0o077
    return private and status.st_uid == os.geteuid()


def _available() -> int:
    """The memory that programs can have before anything is swapped, in bytes (proc(5))."""
    for line in Path("/proc/meminfo").read_text().splitlines():
        if line.startswith("MemAvailable:"):
            return int(line.split()[1]) << 10
    return 0
