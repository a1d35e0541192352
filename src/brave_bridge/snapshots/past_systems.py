"""Past systems: a way back of a btrfs subvolume, made so that it can be started.

It is a subvolume beside the system's own, ``NAME.as-of-ID``: a copy of the way back that can be
written to, and that takes no room until it is; or a system that a return has set aside, as it is.
Subvolumes within the system (the records of Brave Bridge among them) are no part of either: the
past system mounts them from where they are. What is made is found by its name on the file system
itself.
"""

import contextlib
from collections.abc import Iterator
from pathlib import Path
from uuid import UUID

from brave_bridge.core.boot.entries import kernel_of
from brave_bridge.core.boot.past_entry import ASIDE, PastSystem
from brave_bridge.core.survey.platform import PAST_MARK
from brave_bridge.core.versions.deb import version_key
from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.subvolumes import file_system_uuid, is_subvolume
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.choices import choices_or_shipped, cover_of
from brave_bridge.snapshots.description import SNAPSHOT_ID, Snapshot
from brave_bridge.snapshots.engines import btrfs_subvolumes, btrfs_swap
from brave_bridge.snapshots.engines.btrfs import BtrfsEngine
from brave_bridge.snapshots.engines.btrfs_swap import AS_OF
from brave_bridge.snapshots.engines.choose import engine_of
from brave_bridge.snapshots.engines.engine import Engine, Mounted, tool
from brave_bridge.snapshots.engines.staying import what_must_stay
from brave_bridge.snapshots.returns.set_aside import moment
from brave_bridge.snapshots.trees.cover import Cover


class PastSystems:
    """The past systems of one machine."""

    def __init__(self, snapshots: Snapshots) -> None:
        self.snapshots = snapshots
        self.machine = snapshots.machine

    def listed(self) -> list[PastSystem]:
        """Those that can be started, by their ways back; MachineError."""
        root = self._root()
        if root.type != BtrfsEngine.name or not _name(root):
            return []
        with self._told("looking for past systems"), btrfs_subvolumes.top_of(root.device) as top:
            places = list(_places(top, root))
            known = self._known() if places else {}
            described = (self._described(top, root, place, known) for place in places)
            return sorted(described, key=lambda past: past.way_back)

    def take_up(self, aside: str) -> PastSystem:
        """Make a system that a return has set aside one that can be started, as it is.

        ``aside`` is its subvolume; it has another name until ``delete`` sets it aside again.
        MachineError where there is none such, or the machine still runs on it.
        """
        attempted = f"making {aside} a system that can be started"
        root = self._root()
        name, mark, stamp = aside.strip("/").partition(btrfs_swap.MARK)
        with self._told(attempted), btrfs_subvolumes.top_of(root.device) as top:
            place = top / f"{name}{AS_OF}{ASIDE}{stamp}"
            if not mark or name != _name(root) or not is_subvolume(top / aside):
                if is_subvolume(place):
                    return self._described(top, root, place, self._known())
                raise MachineError(attempted, self.machine.name, "there is no such subvolume")
            if root.subvolume.strip("/") == aside.strip("/"):
                seen = "the system runs on it until it restarts"
                raise MachineError(attempted, self.machine.name, seen)
            files = FolderFiles(aside, top / aside)
            files.write(PAST_MARK, f"{ASIDE}{stamp}\n".encode())
            self._settle(top, root, top / aside)
            (Beneath(top) / aside).move_to(Beneath(top) / str(place.relative_to(top)))
            return self._described(top, root, place, self._known())

    def make(self, way_back: str) -> PastSystem:
        """Make one of a way back, or find it made; MachineError where that cannot be.

        ``way_back`` may also name a system that a return has set aside; see ``take_up``.
        """
        if btrfs_swap.MARK in way_back:
            return self.take_up(way_back)
        attempted = f"making {way_back} a system that can be started"
        snapshot = self.snapshots.find(way_back)
        root, part = self._root(), next(p for p in snapshot.parts if p.mount == "/")
        if why := _why_not(root, engine_of(part)):
            raise MachineError(attempted, self.machine.name, why, f"brave-bridge return {way_back}")
        tree = self.snapshots.base(snapshot) / part.folder / "tree"
        with self._told(attempted), btrfs_subvolumes.top_of(root.device) as top:
            place = top / f"{_name(root)}{AS_OF}{snapshot.id}"
            if place.exists() and _mark_of(place) != snapshot.id:
                btrfs_subvolumes.delete_subvolume(place)
            if not place.exists():
                tool("btrfs", "subvolume", "snapshot", str(tree), str(place))
                self._settle(top, root, place)
                FolderFiles(place.name, place).write(PAST_MARK, f"{snapshot.id}\n".encode())
                tool("btrfs", "filesystem", "sync", str(top))
            return self._described(top, root, place, self._known())

    def delete(self, way_back: str) -> None:
        """Delete one that the machine does not run on; MachineError. The way back stays.

        One that a return had set aside is nobody's copy: it is set aside again.
        """
        past = self._past(way_back)
        if past.running:
            raise MachineError(
                f"deleting the past system of {way_back}",
                self.machine.name,
                "the machine runs on it",
                "restart into the system of now first",
            )
        attempted, device = f"deleting the past system of {way_back}", self._root().device
        with self._told(attempted), btrfs_subvolumes.top_of(device) as top:
            if not past.was_set_aside:
                btrfs_subvolumes.delete_subvolume(top / past.subvolume)
                return
            aside = f"{past.name}{btrfs_swap.MARK}{way_back.removeprefix(ASIDE)}"
            (Beneath(top) / past.subvolume).move_to(Beneath(top) / aside)
            btrfs_swap.settle_past(past.name, top / aside)

    def keep(self) -> str:
        """Have the past system that the machine runs on take its own place for good.

        The subvolume that was in its place, as a path; it is set aside as by a return. What a kill
        cuts off is finished as a return's exchange is. MachineError where the machine does not run
        on one.
        """
        attempted = "keeping the past system"
        root = self._root()
        name, mark, way_back = root.subvolume.strip("/").partition(AS_OF)
        if not mark:
            raise MachineError(
                attempted,
                self.machine.name,
                "the machine does not run on one",
                f"where it says that it does, its own system has {PAST_MARK}: remove that file",
            )
        cover = (
            _choices_cover(self.snapshots)
            if way_back.startswith(ASIDE)
            else self.snapshots.cover_now(self.snapshots.find(way_back, though_damaged=True))
        )
        with self._told(attempted), btrfs_subvolumes.top_of(root.device) as top:
            if left := what_must_stay(top / name, cover):
                raise MachineError(
                    attempted,
                    self.machine.name,
                    f"/{left} is in the same subvolume, and newer in the system of now",
                    f"restart into that, then: brave-bridge return {way_back}",
                )
            return self._take_place(top, root, name, way_back)

    def _take_place(self, top: Path, root: Mounted, name: str, way_back: str) -> str:
        here = root.subvolume.strip("/")
        btrfs_swap.mark(top / here, way_back)
        btrfs_subvolumes.swap(top, name, here)
        # From here on its place is its own; a kill leaves what ``btrfs_swap.finish`` goes on with.
        aside = btrfs_swap.set_aside(top, here, name)
        btrfs_swap.move_inner(top, aside, name, None, let_go=root.folder)
        btrfs_swap.boot_it(top, name, aside)
        btrfs_swap.settle_past(name, top / name)
        btrfs_swap.unmark(top / name)
        tool("btrfs", "filesystem", "sync", str(top))
        return aside

    def _root(self) -> Mounted:
        found = self.snapshots.layout().at("/")
        if found is None:
            raise MachineError("looking for the root", self.machine.name, "nothing is mounted")
        return found

    def _past(self, way_back: str) -> PastSystem:
        found = next((one for one in self.listed() if one.way_back == way_back), None)
        if found is None:
            raise MachineError(
                "looking for a past system", self.machine.name, f"{way_back} has none"
            )
        return found

    def _known(self) -> dict[str, Snapshot]:
        """The ways back that are kept, by id."""
        return {one.snapshot.id: one.snapshot for one in self.snapshots.listed()}

    def _described(
        self, top: Path, root: Mounted, place: Path, known: dict[str, Snapshot]
    ) -> PastSystem:
        way_back = place.name.partition(AS_OF)[2]
        kept = known.get(way_back)
        images = FolderFiles(place.name, place).matching("/boot/vmlinu*-*")
        kernels = tuple(filter(None, map(kernel_of, images)))
        newest = max(kernels, key=version_key, default="")
        return PastSystem(
            way_back=way_back,
            subvolume=str(place.relative_to(top)),
            name=_name(root),
            release=kept.release if kept else "",
            since=kept.created if kept else _since(way_back),
            kernel=kept.kernel if kept and kept.kernel else newest,
            kernels=kernels,
            running=root.subvolume.strip("/") == str(place.relative_to(top)),
        )

    def _settle(self, top: Path, root: Mounted, place: Path) -> None:
        """Have it mount what is within the system of now, where it has a place for that.

        What a return has set aside has lost these places: they moved with what was there.
        """
        files = FolderFiles(place.name, place)
        device = UUID(bytes=file_system_uuid(place))
        lines = [
            f"UUID={device} /{inner} btrfs subvol={_name(root)}/{inner},nofail 0 0"
            for inner in btrfs_subvolumes.directly_nested(top / _name(root))
            if not any(character.isspace() for character in inner) and _has_place(files, inner)
        ]
        btrfs_swap.write_mounts(files, "\n".join(lines))

    @contextlib.contextmanager
    def _told(self, attempted: str) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            seen = error.strerror or str(error)
            raise MachineError(attempted, self.machine.name, seen) from error


def _choices_cover(snapshots: Snapshots) -> Cover:
    """What a way back of now would cover."""
    return cover_of(snapshots.machine, choices_or_shipped(snapshots.machine))


def _since(way_back: str) -> str:
    """When a system was set aside, from its name; empty for a way back that is gone."""
    return moment(way_back.removeprefix(ASIDE)) if way_back.startswith(ASIDE) else ""


def _why_not(root: Mounted, engine: Engine) -> str:
    if not engine.can_be_started or root.type != BtrfsEngine.name:
        return "it is a copy of files: only a snapshot of the file system itself can be started"
    name = root.subvolume.strip("/")
    if not name:
        return "the system is the top of its file system, beside which nothing can be put"
    if AS_OF in name or btrfs_swap.MARK in name:
        return "the machine runs on a past system itself"
    return ""


def _name(root: Mounted) -> str:
    """The subvolume of the system of now, also where the machine runs on a past one."""
    return root.subvolume.strip("/").partition(AS_OF)[0]


def _places(top: Path, root: Mounted) -> Iterator[Path]:
    for found in btrfs_swap.beside(top, _name(root), AS_OF):
        place, way_back = found.path, found.name.partition(AS_OF)[2]
        if SNAPSHOT_ID.match(way_back) and _mark_of(place) == way_back and is_subvolume(place):
            yield place


def _mark_of(place: Path) -> str:
    try:
        found = FolderFiles(place.name, place).read_if_there(PAST_MARK, 200)
    except (OSError, MachineError):
        return ""
    return (found or b"").decode("ascii", "replace").strip()


def _has_place(files: FolderFiles, inner: str) -> bool:
    """Whether there is a folder for what is within, made where its parent is there."""
    parent, _, name = f"/{inner}".rpartition("/")
    try:
        (files.beneath(parent or "/") / name).make_folder(0o755)
        return files.beneath(f"/{inner}").is_folder()
    except (OSError, MachineError):
        return False
