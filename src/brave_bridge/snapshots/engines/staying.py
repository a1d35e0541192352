"""What of a file system must stay as it is, so that it cannot be given back as a whole."""

import os
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.trees.cover import Cover


def what_must_stay(root: Path, cover: Cover) -> str:
    """A path in the same file system that is left out and holds something that must not go."""
    for exclusion in cover.exclusions:
        if not exclusion.passing and _holds_something(root, exclusion.path):
            return exclusion.path
    return ""


def _holds_something(root: Path, path: str) -> bool:
    """Whether anything stands there in the same subvolume: what is a subvolume of its own moves."""
    try:
        device = root.stat().st_dev
        with (Beneath(root) / path).opened_folder() as folder, os.scandir(folder) as listing:
            return os.fstat(folder).st_dev == device and any(
                not item.is_dir(follow_symlinks=False)
                or item.stat(follow_symlinks=False).st_dev == device
                for item in listing
            )
    except OSError:
        return False
