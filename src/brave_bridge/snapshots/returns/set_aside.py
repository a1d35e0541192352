"""Systems that a return by exchanged subvolumes has set aside, until somebody deletes them.

They are found by their names on the file system itself, so no record of them can be wrong.
"""

from datetime import UTC, datetime

import msgspec

from brave_bridge.machines.opening.named import kernel_lines
from brave_bridge.snapshots.engines import btrfs_subvolumes
from brave_bridge.snapshots.engines.btrfs_swap import MARK, STAMP
from brave_bridge.snapshots.engines.engine import EngineError, Mounted, tool
from brave_bridge.snapshots.parts import Layout


class SetAside(msgspec.Struct, frozen=True, kw_only=True):
    """A subvolume as it was when a return took its place; ``id`` is its path on its device."""

    id: str
    mount: str
    since: str
    in_use: bool
    """Whether the system still runs on it, as it does until it restarts."""


def set_aside(layout: Layout) -> list[SetAside]:
    """Every subvolume of a machine that was set aside, oldest first."""
    found = {}
    for mounted in layout.covered:
        if mounted.type == "btrfs":
            for path in _names(mounted):
                found.setdefault(path, _described(path, mounted))
    return sorted(found.values(), key=lambda aside: aside.since)


def delete_set_aside(layout: Layout, identifier: str) -> int:
    """Delete one; the bytes that are free again.

    EngineError where there is none such, or the system still runs on it.
    """
    for mounted in layout.covered:
        if mounted.type != "btrfs" or identifier not in _names(mounted):
            continue
        if _in_use(identifier, mounted):
            raise EngineError(16, "the system runs on it until it restarts")
        with btrfs_subvolumes.top_of(mounted.device) as top:
            freed = btrfs_subvolumes.subvolume_use(top / identifier).alone
            btrfs_subvolumes.delete_subvolume(top / identifier)
        return freed
    raise EngineError(2, "there is no such subvolume")


def _names(mounted: Mounted) -> list[str]:
    """The paths of subvolumes that were set aside for one of this file system."""
    lines = tool("btrfs", "subvolume", "list", "-a", str(mounted.folder)).splitlines()
    paths = [line.partition(" path ")[2].removeprefix("<FS_TREE>/") for line in lines]
    return [path for path in paths if MARK in path.rpartition("/")[2] and moment(path)]


def moment(path: str) -> str:
    """When a subvolume was set aside, from its name; empty where it does not say."""
    try:
        moment = datetime.strptime(path.rpartition(MARK)[2], STAMP)
    except ValueError:
        return ""
    return moment.replace(tzinfo=UTC).isoformat(timespec="seconds")


def _described(path: str, mounted: Mounted) -> SetAside:
    return SetAside(id=path, mount=mounted.path, since=moment(path), in_use=_in_use(path, mounted))


def _in_use(path: str, mounted: Mounted) -> bool:
    """Whether it, or something within it, is mounted anywhere (proc(5), mountinfo)."""
    for line in kernel_lines("/proc/self/mountinfo"):
        words = line.split()
        source = words[words.index("-") + 2] if "-" in words else ""
        if source == mounted.device and _within(words[3], "/" + path):
            return True
    return False


def _within(path: str, folder: str) -> bool:
    return path == folder or path.startswith(folder + "/")
