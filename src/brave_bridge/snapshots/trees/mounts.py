"""What is mounted, and what is swapped to, below a folder (proc(5): mountinfo, swaps).

A mount is where a walk ends, also one of the same file system: device numbers do not tell
a bind mount.
"""

import os

from brave_bridge.core.formats.proc import read_mountinfo, unescaped
from brave_bridge.machines.opening.named import kernel_text

_MOUNTINFO, _SWAPS = "/proc/self/mountinfo", "/proc/swaps"


def mounts_below(root: str | os.PathLike) -> tuple[str, ...]:
    """The mount points below a folder, by path from there; none where /proc is not there."""
    return _below(root, [mount.path for mount in read_mountinfo(kernel_text(_MOUNTINFO))])


def swap_files_below(root: str | os.PathLike) -> tuple[str, ...]:
    """The files below a folder that the kernel swaps to now, by path from there."""
    rows = [line.split() for line in kernel_text(_SWAPS).splitlines()[1:]]
    return _below(root, [unescaped(row[0]) for row in rows if row[1:2] == ["file"]])


def _below(root: str | os.PathLike, paths: list[str]) -> tuple[str, ...]:
    start = os.path.realpath(root).rstrip("/") + "/"
    return tuple(sorted(path[len(start) :] for path in paths if path.startswith(start)))
