"""Taking one snapshot: its folders, one part after the other, and the description last."""

import contextlib
import errno
import fcntl
import os
import re
from collections.abc import Iterator
from pathlib import Path

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.subvolumes import is_subvolume
from brave_bridge.snapshots.choices import Choices, cover_of, read_choices
from brave_bridge.snapshots.description import (
    DESCRIPTION,
    PART_FOLDER,
    SNAPSHOT_ID,
    About,
    Snapshot,
    write_description,
)
from brave_bridge.snapshots.engines import btrfs_subvolumes
from brave_bridge.snapshots.engines.choose import ENGINES, choose, engine_of
from brave_bridge.snapshots.engines.engine import Engine, Mounted, Part
from brave_bridge.snapshots.jobs.large_removal import remove_large_tree
from brave_bridge.snapshots.jobs.tree_copy import CopyReport, Progress
from brave_bridge.snapshots.parts import Layout, layout_of
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.system_calls import sync_file_system

_MAKING = "making.json"
"""Which parts are being made, or removed: enough to remove them after a kill."""

_BEGUN = ".begun-"
"""What a folder's name begins with until it says what it is."""

_GOING = ".going-"
"""What it begins with from when it is to be removed."""

_LOCK = "taking.lock"
_COUNTER = "counter"
_LARGEST_PLAN = 1_000_000


def base_of(snapshot: Snapshot, own: Beneath) -> Beneath:
    """The folder that holds a snapshot's parts; ``own`` is the machine's own."""
    return store_at(snapshot.kept_in, own) / snapshot.id


def store_at(kept_in: str, own: Beneath) -> Beneath:
    """The folder that keeps snapshots: on another disk, else the machine's own."""
    return Beneath(kept_in, ours=True) if kept_in else own


class Taking:
    """One snapshot while it is being made. ``known`` are those that it can share with."""

    def __init__(
        self,
        machine: FolderMachine,
        own: Beneath,
        known: list[Snapshot],
        about: About,
        created: str,
        version: str,
    ) -> None:
        self.machine = machine
        self.own = own
        self.known = known
        self.about = about
        self.created = created
        self.version = version
        self.choices = read_choices(machine)
        self.cover = cover_of(machine, self.choices)
        self._planned: list[Part] = []
        self._done = (0, 0)

    def take(self, identifier: str, progress: Progress) -> Snapshot:
        """Make it; OSError or ValueError, and nothing of it left, where that cannot be done."""
        self.own.make_folder()
        with self.own.opened_folder() as folder:
            os.fchmod(folder, 0o700)
        with _alone(self.own):
            remove_leftovers(self.own, self.choices)
            self.number = _count_up(self.own, self.known)
            try:
                return self._take(identifier, progress)
            except (OSError, ValueError):
                remove_leftovers(self.own, self.choices)
                raise

    def _take(self, identifier: str, progress: Progress) -> Snapshot:
        self.progress = progress
        self.base = self._make_folders(identifier)
        layout = layout_of(self.machine, self.cover, self.choices.taken_in)
        parts = [self._part(mounted) for mounted in layout.covered]
        parts += [self._part(inner) for inner in _inner_subvolumes(layout, parts, self.cover)]
        snapshot = Snapshot(
            id=identifier,
            machine=self.machine.name,
            release=self.about.release,
            created=self.created,
            reason=self.about.reason,
            leg=self.about.leg,
            version=self.version,
            kernel=self.about.kernel,
            boot_entry=self.about.boot_entry,
            number=self.number,
            kept_in=self.choices.keep_in,
            parts=tuple(parts),
            uncovered=tuple(f"{u.path}: {u.why}" for u in layout.uncovered),
            exclusions=self.cover.exclusions,
        )
        sync_file_system(self.base.path)
        if self.choices.keep_in:
            write_description(self.base, snapshot)
        write_description(self.own / identifier, snapshot)
        sync_file_system(self.own.path)
        for folder in (self.base, self.own / identifier):
            (folder / _MAKING).remove()
        return snapshot

    def _make_folders(self, identifier: str) -> Beneath:
        own = _begun(self.own / identifier)
        if not self.choices.keep_in:
            return own
        store = store_at(self.choices.keep_in, self.own)
        if not store.is_folder():
            raise OSError(errno.ENOENT, f"the disk for snapshots is not here: {store}")
        self._refuse_inside_cover(store.path)
        return _begun(store / identifier)

    def _refuse_inside_cover(self, store: Path) -> None:
        """A store must not be part of what it keeps, nor go with it when it is restored."""
        device = store.stat().st_dev
        for mounted in layout_of(self.machine, self.cover, self.choices.taken_in).covered:
            if device != mounted.folder.stat().st_dev:
                continue
            inside = os.path.relpath(os.path.realpath(store), os.path.realpath(mounted.folder))
            pieces = inside.split("/")
            below = self.cover.below(mounted.path)
            above = ["/".join(pieces[: n + 1]) for n in range(len(pieces))]
            if not inside.startswith("..") and not any(below.leaves_out(path) for path in above):
                raise OSError(
                    errno.EINVAL, f"{store} is part of what the snapshot covers: name another disk"
                )

    def _part(self, mounted: Mounted) -> Part:
        """Make the snapshot of one file system."""
        engine, why = choose(mounted, self.base.path, self.about.engine)
        name = _slug(mounted.path, len(self._planned))
        folder = self.base / name
        folder.make_new_folder()
        part = Part(
            mount=mounted.path,
            engine=engine.name,
            why=why,
            folder=name,
            place=engine.place(mounted, self.base.name),
            file_system=mounted.type,
            device=mounted.device,
            uuid=mounted.uuid,
            subvolume=mounted.subvolume,
            read_only=engine.is_read_only(mounted),
        )
        self._planned.append(part)
        keep_plan(self.base, self._planned)
        previous = self._previous(mounted, engine) if engine.copies else None
        cover = self.cover.below(mounted.path)
        report = engine.take(mounted, cover, folder, part.place, previous, self._tell)
        self._done = (self._done[0] + report.entries, self._done[1] + report.bytes_covered)
        return _finished(part, report)

    def _previous(self, mounted: Mounted, engine: Engine) -> Beneath | None:
        """The newest copy of a file system in the same store, to be shared with."""
        for snapshot in reversed(self.known):
            base = base_of(snapshot, self.own)
            for part in snapshot.parts:
                same = part.mount == mounted.path and part.uuid == mounted.uuid
                if part.engine == engine.name and same and base.above == self.base.above:
                    return base / part.folder
        return None

    def _tell(self, entries: int, size: int) -> None:
        self.progress(self._done[0] + entries, self._done[1] + size)


@contextlib.contextmanager
def _alone(own: Beneath) -> Iterator[None]:
    """Only one snapshot of a machine is taken at a time: what is half made then is a leftover."""
    with (own / _LOCK).opened_to_change() as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise OSError(errno.EBUSY, "another snapshot is being taken") from error
        yield


def _begun(folder: Beneath) -> Beneath:
    """A folder that says from the first on that what is in it is ours, and not finished."""
    new = folder.beside(_BEGUN + folder.name)
    new.remove_all()
    new.make_new_folder()
    keep_plan(new, [])
    if folder.status() is not None:
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), str(folder))
    new.move_to(folder)
    return folder


def _count_up(own: Beneath, known: list[Snapshot]) -> int:
    """The next number in the order of snapshots: higher than any before, those gone included."""
    highest = max((snapshot.number for snapshot in known), default=0)
    with contextlib.suppress(OSError, ValueError):
        highest = max(highest, int((own / _COUNTER).read(40)))
    (own / _COUNTER).make_way()
    (own / _COUNTER).write(f"{highest + 1}\n".encode())
    return highest + 1


def remove_leftovers(own: Beneath, choices: Choices) -> None:
    """Remove every snapshot that was not finished, or only half removed, with all its parts.

    Only what says of itself that we were making or removing it; anything else is not ours. On
    another disk only what is begun here too: others may be keeping theirs there right now. It
    goes there first, so that what is left of it is known here until the end.
    """
    names = {_bare_name(folder) for folder in own.folders()}
    for store in dict.fromkeys((store_at(choices.keep_in, own), own)):
        for folder in store.folders():
            if _bare_name(folder) in names:
                _remove_leftover(folder, own)


def _bare_name(folder: Beneath) -> str:
    """The id that a folder has, had, or is to have."""
    return folder.name.removeprefix(_BEGUN).removeprefix(_GOING)


def _remove_leftover(folder: Beneath, own: Beneath) -> None:
    if not SNAPSHOT_ID.match(_bare_name(folder)):
        return
    if folder.name != _bare_name(folder):
        _remove_nameless(folder)
        return
    finished = any((place / DESCRIPTION).kind for place in (folder, own / folder.name))
    parts = None if finished else planned_parts(folder)
    if parts is None:
        return
    for part in parts:
        with contextlib.suppress(OSError):
            ENGINES[part.engine].delete(part, folder / part.folder, None)
    remove_folder(folder)


def keep_plan(folder: Beneath, parts: list[Part] | tuple[Part, ...]) -> None:
    """Say which parts a folder has, so that a kill leaves nothing unknown behind."""
    if folder.is_folder():
        (folder / _MAKING).write(msgspec.json.encode(list(parts)))


def planned_parts(folder: Beneath) -> list[Part] | None:
    """The parts that were being made or removed in a folder; None where it does not say so."""
    try:
        parts = decode_json((folder / _MAKING).read(_LARGEST_PLAN), list[Part])
    except (OSError, msgspec.DecodeError):
        return None
    return [part for part in parts if part.engine in ENGINES and PART_FOLDER.match(part.folder)]


def remove_folder(folder: Beneath) -> None:
    """Remove a snapshot's folder, the subvolumes in it by their own tool.

    It loses its name first: half removed it can be taken for nothing else.
    """
    if not folder.is_folder():
        return
    going = folder.beside(_GOING + folder.name)
    if going.is_folder():
        _remove_nameless(going)
    folder.move_to(going)
    _remove_nameless(going)


def _remove_nameless(folder: Beneath) -> None:
    for part in folder.folders():
        tree = part / "tree"
        if tree.is_folder() and is_subvolume(tree.path):
            btrfs_subvolumes.delete_subvolume(tree.path)
    remove_large_tree(folder.name, folder.above.path)


def _finished(part: Part, report: CopyReport) -> Part:
    return msgspec.structs.replace(
        part,
        checksum=report.checksum,
        entries=report.entries,
        bytes_covered=report.bytes_covered,
        bytes_copied=report.bytes_copied,
        apart=tuple(report.apart),
        vanished=tuple(report.vanished),
        unstable=tuple(report.unstable),
        sockets=tuple(report.sockets),
    )


def _slug(mount: str, number: int) -> str:
    name = re.sub(r"[^a-z0-9]+", "-", mount.lower()).strip("-")[:40] or "root"
    return name if name == "root" or not number else f"{name}-{number}"


def _inner_subvolumes(layout: Layout, parts: list[Part], cover: Cover) -> list[Mounted]:
    """What is covered within the parts and their snapshots leave empty, as subvolumes of btrfs."""
    found = []
    mounts = {mounted.path for mounted in layout.covered} | {u.path for u in layout.uncovered}
    for part in parts:
        mounted = layout.at(part.mount)
        if mounted is None:
            continue
        for inner in engine_of(part).inner(mounted):
            path = f"{mounted.path.rstrip('/')}/{inner}"
            known = any(path == m or (m != "/" and path.startswith(m + "/")) for m in mounts)
            if not known and not cover.keeps_out_of(path):
                found.append(
                    msgspec.structs.replace(
                        mounted,
                        path=path,
                        folder=mounted.folder / inner,
                        subvolume=f"{mounted.subvolume.rstrip('/')}/{inner}",
                    )
                )
    return found
