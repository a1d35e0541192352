"""Removing a tree with all in it by a crew.

Some file systems answer each removal only once the disk has let go of the blocks (the mount
option ``discard``); several hands wait for that together.
"""

import contextlib
import os
import stat
from pathlib import Path

from brave_bridge.snapshots.jobs.crew import HELPERS, Crew, carry_out
from brave_bridge.snapshots.jobs.empty import RemovalJob
from brave_bridge.snapshots.trees.folders import opened_root
from brave_bridge.snapshots.trees.manifest import encoded_path
from brave_bridge.snapshots.trees.removal import remove_tree


def remove_large_tree(name: str, parent: Path, helpers: int | Crew = HELPERS) -> None:
    """Remove a path and, where it is a folder, all below it; like folders.remove_tree."""
    with opened_root(parent) as descriptor:
        try:
            status = os.stat(name, dir_fd=descriptor, follow_symlinks=False)
        except FileNotFoundError:
            return
        if stat.S_ISDIR(status.st_mode):
            # Whatever helpers cannot do, this process does next, or says why it cannot.
            with contextlib.suppress(OSError):
                for _ in carry_out(RemovalJob(str(parent)), [encoded_path(name)], helpers):
                    pass
        remove_tree(name, descriptor)
