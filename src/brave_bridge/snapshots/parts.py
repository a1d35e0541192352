"""The file systems of a machine: which belong to the system, and where they are reached."""

import os
from pathlib import Path

import msgspec

from brave_bridge.core.formats.proc import WITHOUT_A_DISK, MountInfo, read_mountinfo, read_mounts
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import kernel_text
from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots.engines.engine import Mounted
from brave_bridge.snapshots.trees.cover import Cover, rules

_ELSEWHERE = frozenset(
    ("9p", "ceph", "cifs", "fuse.sshfs", "glusterfs", "nfs", "nfs4", "smb3"),
)
_LIMIT = 4_000_000


class Uncovered(msgspec.Struct, frozen=True):
    """A file system that is mounted and not covered, and why."""

    path: str
    why: str


class Layout(msgspec.Struct, frozen=True):
    """A machine's file systems: the covered ones, the root first, and the others."""

    covered: tuple[Mounted, ...]
    uncovered: tuple[Uncovered, ...]

    def at(self, path: str) -> Mounted | None:
        """The covered file system that is mounted at a path."""
        return next((mounted for mounted in self.covered if mounted.path == path), None)


def layout_of(machine: FolderMachine, cover: Cover, taken_in: tuple[str, ...] = ()) -> Layout:
    """What is mounted on a machine, or below a tree. ``taken_in`` is covered beyond the rules."""
    mounts = _mounts(machine)
    covered = [_root(machine, mounts)]
    uncovered = []
    wanted = {rule.path for rule in rules().mount} | set(taken_in)
    for mount in mounts:
        inside = _inside(machine, mount.path)
        if inside in ("", "/") or mount.type in WITHOUT_A_DISK:
            continue
        if why := _why_not(inside, mount, cover, wanted):
            uncovered.append(Uncovered(inside, why))
        else:
            folder = machine.root / inside.lstrip("/")
            covered.append(_mounted(inside, folder, mount))
    return Layout(
        tuple(sorted(covered, key=lambda m: m.path)),
        tuple(sorted(uncovered, key=lambda u: u.path)),
    )


def _why_not(inside: str, mount: MountInfo, cover: Cover, wanted: set[str]) -> str:
    for exclusion in cover.exclusions:
        if (inside + "/").startswith(f"/{exclusion.path}/"):
            return exclusion.reason or "left out"
    if mount.type in _ELSEWHERE:
        return "lies on another machine"
    if inside not in wanted:
        return "not known to be part of the system"
    return ""


def _mounts(machine: FolderMachine) -> list[MountInfo]:
    if machine.is_pretended:
        try:
            content = machine.files.read_if_there("/proc/self/mounts", _LIMIT) or b""
        except MachineError:
            return []
        own = read_mounts(content.decode(errors="replace"))
        return [MountInfo(m.path, "/", m.device, m.type, m.options) for m in own]
    return read_mountinfo(kernel_text("/proc/self/mountinfo"))


def _inside(machine: FolderMachine, path: str) -> str:
    """A mount's path on the machine; empty where it is not below its root."""
    if not machine.is_mounted_only:
        return path
    root = os.path.realpath(machine.root)
    if path == root:
        return "/"
    return path[len(root) :] if path.startswith(root + "/") else ""


def _root(machine: FolderMachine, mounts: list[MountInfo]) -> Mounted:
    """The root part: of the mount that holds the root folder."""
    if machine.is_pretended:
        own = next((m for m in mounts if m.path == "/"), None)
        kind, device = (own.type, own.device) if own else ("", "")
        return Mounted("/", machine.root, device, kind)
    place = os.path.realpath(machine.root)
    holders = [m for m in mounts if place == m.path or place.startswith(m.path.rstrip("/") + "/")]
    if not holders:
        return Mounted("/", machine.root)
    holder = max(holders, key=lambda mount: len(mount.path))
    below = place[len(holder.path.rstrip("/")) :]
    found = _mounted("/", machine.root, holder)
    return msgspec.structs.replace(found, subvolume=holder.root.rstrip("/") + below or "/")


def _mounted(path: str, folder: Path, mount: MountInfo) -> Mounted:
    return Mounted(
        path, folder, mount.device, mount.type, mount.options, mount.root, uuid_of(mount.device)
    )


def uuid_of(device: str) -> str:
    """The UUID of a file system by its device, as udev links it; empty where it is not known."""
    links, wanted = Beneath("/dev/disk/by-uuid"), os.path.realpath(device)
    try:
        names = links.names()
    except OSError:
        return ""
    return next((n for n in names if os.path.realpath((links / n).path) == wanted), "")
