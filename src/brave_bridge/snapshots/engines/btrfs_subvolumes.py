"""btrfs subvolumes by their own public tool (btrfs-subvolume(8))."""

import contextlib
from collections.abc import Iterator
from contextlib import AbstractContextManager
from pathlib import Path

from brave_bridge.snapshots.engines.engine import Use, tool
from brave_bridge.snapshots.engines.mounting import mounted_for_now
from brave_bridge.snapshots.trees.folders import opened_root
from brave_bridge.snapshots.trees.system_calls import exchange


def delete_subvolume(folder: Path) -> None:
    """Delete a subvolume and those within it."""
    for inner in nested(folder):
        tool("btrfs", "subvolume", "delete", str(folder / inner))
    tool("btrfs", "subvolume", "delete", str(folder))


def nested(folder: Path) -> list[str]:
    """The subvolumes within a subvolume, the innermost first, by path from there."""
    own = _field(tool("btrfs", "subvolume", "show", str(folder)).splitlines()[0])
    found = []
    for line in tool("btrfs", "subvolume", "list", "-o", str(folder)).splitlines():
        path = line.partition(" path ")[2]
        inside = path.removeprefix(own).lstrip("/")
        found += [inside, *(f"{inside}/{deeper}" for deeper in nested(folder / inside))]
    return sorted(found, key=lambda path: -path.count("/"))


def _field(line: str) -> str:
    """A subvolume's own path, as ``show`` names it; empty for the top of the file system."""
    path = line.strip()
    return "" if path in ("/", "<FS_TREE>") else path


def directly_nested(folder: Path) -> list[str]:
    """The subvolumes within a subvolume that are in no other of them."""
    every = nested(folder)
    return [path for path in every if not any(path.startswith(other + "/") for other in every)]


def subvolume_id(folder: Path) -> str:
    """The number of the subvolume that a folder is in."""
    return tool("btrfs", "inspect-internal", "rootid", str(folder)).strip()


def is_read_only(folder: Path) -> bool:
    """Whether a subvolume is set read-only (btrfs-property(8))."""
    try:
        return tool("btrfs", "property", "get", "-ts", str(folder), "ro").strip() == "ro=true"
    except OSError:
        return False


@contextlib.contextmanager
def writable(folder: Path, *, afterwards: bool) -> Iterator[None]:
    """Let a subvolume be written to; what it shall be afterwards holds however it ends."""
    if is_read_only(folder):
        tool("btrfs", "property", "set", "-ts", str(folder), "ro", "false")
    try:
        yield
    finally:
        if not afterwards:
            tool("btrfs", "property", "set", "-ts", str(folder), "ro", "true")


def subvolume_use(folder: Path) -> Use:
    """What a subvolume holds alone, and shares with others."""
    words = tool("btrfs", "filesystem", "du", "-s", "--raw", str(folder))
    total, exclusive, *_ = words.splitlines()[-1].split()
    return Use(int(exclusive), int(total) - int(exclusive))


def top_of(device: str) -> AbstractContextManager[Path]:
    """The top of a btrfs file system, mounted for as long as it is entered."""
    return mounted_for_now("-t", "btrfs", "-o", "subvolid=5", device)


def swap(top: Path, present: str, newer: str) -> None:
    """Let two subvolumes change names in one step (renameat2(2), RENAME_EXCHANGE)."""
    with opened_root(top) as descriptor:
        exchange(present, descriptor, newer, descriptor)
