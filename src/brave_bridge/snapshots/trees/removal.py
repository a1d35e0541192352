"""Removing one tree, also what is locked against changes (chattr(1))."""

from brave_bridge.machines.opening import removal
from brave_bridge.snapshots.trees.folders import unlocked


def remove_tree(name: str, parent: int) -> None:
    """Remove a path and all below it; links are not followed, no mount is entered. OSError."""
    removal.remove_tree(name, parent, unlocked)
