"""Returning a btrfs subvolume by exchanging it for a copy of its snapshot.

The present one is set aside under another name until somebody deletes it. A running
system goes on with the one that was set aside until it restarts.
"""

import os
from datetime import UTC, datetime
from pathlib import Path

from brave_bridge.core.formats.marked_part import with_part
from brave_bridge.core.formats.text import plain
from brave_bridge.core.survey.platform import PAST_MARK
from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots.engines import btrfs_subvolumes
from brave_bridge.snapshots.engines.engine import Mounted, Part, tool
from brave_bridge.snapshots.engines.staying import what_must_stay
from brave_bridge.snapshots.trees.cover import Cover

MARK = ".before-return-"
AS_OF = ".as-of-"
"""A way back of a subvolume that can be started is named NAME, this mark, and the way back's id."""

STAMP = "%Y%m%d-%H%M%S-%f"
"""A subvolume that was set aside is named NAME, this mark, and when (UTC)."""


def can_swap(part: Part, mounted: Mounted, cover: Cover, folder: Beneath) -> str:
    """Why a part cannot come back by exchanging subvolumes; empty where it can.

    ``folder`` is that of the part in the snapshot.
    """
    if mounted.subvolume in ("", "/"):
        return "it is the top of its file system, which cannot be exchanged"
    if MARK in mounted.subvolume:
        return ""
    if part.mount != "/":
        return "it is in use within the system: files come back one by one"
    if left := what_must_stay(mounted.folder, cover):
        return f"/{left} is in the same subvolume and must stay as it is"
    if inner := _in_the_way(part, mounted, folder):
        return f"/{inner} is a subvolume now and was something else: files come back one by one"
    if "subvolid=" in _mount_settings(mounted):
        return "the system mounts it by its number, which an exchange would not change"
    return ""


def _in_the_way(part: Part, mounted: Mounted, folder: Beneath) -> str:
    """A subvolume within the present one that could not move to the place it has there."""
    for inner in btrfs_subvolumes.directly_nested(mounted.folder):
        place = Beneath((folder / "tree").path) / inner
        try:
            if place.status() is not None and place.names():
                return inner
        except OSError:
            # No folder stands there, or a link leads there.
            return inner
    return ""


def _mount_settings(mounted: Mounted) -> str:
    """How the system's own settings mount its root."""
    try:
        content = FolderFiles(mounted.path, mounted.folder).read(_FSTAB, _FSTAB_LIMIT)
    except MachineError:
        return ""
    lines = content.decode("utf-8", "replace").splitlines()
    return "\n".join(line for line in lines if line.split()[1:2] == ["/"])


def swap_in(part: Part, mounted: Mounted, folder: Beneath, identifier: str) -> str:
    """Exchange the subvolume for a copy of its snapshot; the name of the one set aside.

    Done again after a kill, it finishes: what was exchanged is not exchanged back.
    """
    if MARK in mounted.subvolume:
        aside = mounted.subvolume.strip("/")
        name = aside.partition(MARK)[0]
    else:
        name = mounted.subvolume.strip("/")
        stamp = datetime.now(UTC).strftime(STAMP)
        aside = f"{name}{MARK}{stamp}"
    with btrfs_subvolumes.top_of(mounted.device) as top:
        if MARK not in mounted.subvolume:
            _clear_unfinished(top, name)
            tool("btrfs", "subvolume", "snapshot", str(folder / "tree"), str(top / aside))
            mark(top / aside, identifier)
            tool("btrfs", "filesystem", "sync", str(top))
            btrfs_subvolumes.swap(top, name, aside)
        move_inner(top, aside, name, mounted)
        boot_it(top, name, aside)
        unmark(top / name)
        _settle_times(top / name, (folder / "tree").path)
        tool("btrfs", "filesystem", "sync", str(top))
    return aside


def was_cut_off(mounted: Mounted) -> str:
    """The snapshot that a half-done exchange of this subvolume leads to; empty where none is.

    A past system that is still beside was not exchanged yet.
    """
    if AS_OF in mounted.subvolume:
        return ""
    try:
        content = _mark_in(mounted.folder).read(_LONGEST_MARK)
    except OSError:
        return ""
    return plain(content.decode("ascii", "replace")).strip()


def finish(mounted: Mounted) -> None:
    """Finish an exchange that was cut off before a restart: what is within moves over."""
    name = mounted.subvolume.strip("/")
    with btrfs_subvolumes.top_of(mounted.device) as top:
        for other in beside(top, name, AS_OF):
            if not _is_marked(other.path, PAST_MARK):
                set_aside(top, other.inner, name)
        for other in reversed(beside(top, name, MARK)):
            move_inner(top, other.inner, name, None)
            boot_it(top, name, other.inner)
    settle_past(name, mounted.folder)
    unmark(mounted.folder)


def beside(top: Path, name: str, mark: str) -> list[Beneath]:
    """The folders beside a subvolume that have its name and then a mark, sorted."""
    place = Beneath(top) / name
    return [one for one in place.above.folders() if one.name.startswith(f"{place.name}{mark}")]


def set_aside(top: Path, present: str, name: str) -> str:
    """Give a subvolume the name of one that was set aside for ``name``; that name."""
    aside = f"{name}{MARK}{datetime.now(UTC).strftime(STAMP)}"
    (Beneath(top) / present).move_to(Beneath(top) / aside)
    return aside


def settle_past(name: str, root: Path) -> None:
    """Let a past system that has its place for good be as every other."""
    if _is_marked(root, PAST_MARK):
        files = FolderFiles(name, root)
        write_mounts(files, "")
        files.remove(PAST_MARK)


def write_mounts(files: FolderFiles, part: str) -> None:
    """Have a past system mount what is within the system of now; nothing: mount it no more."""
    content = files.read_if_there(_FSTAB, _FSTAB_LIMIT) or b""
    before = content.decode("utf-8", "surrogateescape")
    text = with_part(before, part, "what is within the system of now")
    if text != before:
        files.write(_FSTAB, text.encode("utf-8", "surrogateescape"))


def _is_marked(root: Path, mark: str) -> bool:
    return (Beneath(root) / mark.lstrip("/")).is_file()


_FSTAB, _FSTAB_LIMIT = "/etc/fstab", 1_000_000
_LONGEST_MARK = 200
RETURNED = ".brave-bridge-returned"
"""The file that says that an exchange has not ended: the id of the snapshot it leads to."""


def _settle_times(root: Path, tree: Path) -> None:
    """Give the folders that something moved into the times of the snapshot again."""
    touched = {"", *(inner.rpartition("/")[0] for inner in btrfs_subvolumes.directly_nested(root))}
    for path in sorted(touched, reverse=True):
        with (
            Beneath(tree, path).opened_folder() as before,
            Beneath(root, path).opened_folder() as now,
        ):
            status = os.fstat(before)
            os.utime(now, ns=(status.st_atime_ns, status.st_mtime_ns))


def mark(subvolume: Path, identifier: str) -> None:
    """Tell the one that is being made from the ones that were set aside."""
    _mark_in(subvolume).write(identifier.encode() + b"\n")


def unmark(subvolume: Path) -> None:
    """It is one of them, or the system itself: it is marked no more."""
    _mark_in(subvolume).remove()


def _mark_in(subvolume: Path) -> Beneath:
    return Beneath(subvolume, RETURNED, ours=True)


def _clear_unfinished(top: Path, name: str) -> None:
    """Remove what a kill left before the exchange."""
    for other in beside(top, name, MARK):
        if _mark_in(other.path).kind:
            btrfs_subvolumes.delete_subvolume(other.path)


def move_inner(
    top: Path, aside: str, name: str, mounted: Mounted | None, let_go: Path | None = None
) -> None:
    """Subvolumes within the old one, the state folder among them, move to the new one.

    Where the old one is in use (``mounted``) they are mounted there again, so nothing
    vanishes from sight. ``let_go`` is the folder of the new one where that is in use: what of
    them is mounted there goes, as they are in their places then.
    """
    for inner in btrfs_subvolumes.directly_nested(top / aside):
        target = Beneath(top) / name / inner
        target.above.make_folder(0o755)
        if let_go is not None and os.path.ismount(let_go / inner):
            tool("umount", "--lazy", str(let_go / inner))
        target.remove_empty()
        (Beneath(top) / aside / inner).move_to(target)
        if mounted is None or not _shows(mounted.folder, top / aside):
            continue
        seen = Beneath(mounted.folder) / inner
        seen.make_folder(0o755)
        tool("mount", "-t", "btrfs", "-o", f"subvol={name}/{inner}", mounted.device, str(seen))


def _shows(folder: Path, subvolume: Path) -> bool:
    """Whether a folder is the top of that subvolume, and not of the one in its place."""
    return btrfs_subvolumes.subvolume_id(folder) == btrfs_subvolumes.subvolume_id(subvolume)


def boot_it(top: Path, name: str, aside: str) -> None:
    """Where the file system's default subvolume was the old one, it is the new one now."""
    default = tool("btrfs", "subvolume", "get-default", str(top)).split()[1]
    if default == btrfs_subvolumes.subvolume_id(top / aside):
        number = btrfs_subvolumes.subvolume_id(top / name)
        tool("btrfs", "subvolume", "set-default", number, str(top))
