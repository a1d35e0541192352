"""The catalogue of a machine's snapshots, and the engine that is chosen for it.

Below the state folder, ``snapshots/ID/`` holds ``tree/`` (the files), ``manifest.jsonl``
(written last: its presence says that the snapshot is whole) and ``description.toml``,
which a person at a rescue shell can read without Brave Bridge.
"""

import errno
import os
import re
import shutil
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import msgspec
import tomlkit

from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.snapshots import btrfs
from brave_bridge.snapshots.cover import STAGING, Cover, cover_for
from brave_bridge.snapshots.files import sync_file_system
from brave_bridge.snapshots.manifest import Entry, read_manifest, scan, walk, write_manifest
from brave_bridge.snapshots.restore import (
    DamagedSnapshot,
    Preview,
    Restoration,
    RestoreReport,
    compare,
)
from brave_bridge.snapshots.tree_copy import Progress, TreeCopy

_ID = re.compile(r"^[a-z0-9][a-z0-9-]{0,79}$")


class Snapshot(msgspec.Struct, frozen=True, kw_only=True):
    """A snapshot's own description. Times are ISO 8601 in UTC."""

    id: str
    machine: str
    release: str
    created: str
    reason: str
    leg: str
    engine: str
    version: str
    entries: int
    bytes_covered: int
    bytes_copied: int
    left_out: tuple[str, ...]
    vanished: tuple[str, ...] = ()
    unstable: tuple[str, ...] = ()


def make_state_folder(machine: Machine) -> None:
    """Make a machine's state folder where it is missing; MachineError where that is refused.

    On btrfs it is a subvolume of its own, which snapshots of the root do not contain.
    """
    if machine.state.is_dir():
        return
    try:
        machine.state.parent.mkdir(parents=True, exist_ok=True)
        if btrfs.is_subvolume(machine.root):
            btrfs.make_subvolume(machine.state)
        machine.state.mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise MachineError(
            f"making the folder {machine.state}",
            machine.name,
            error.strerror or str(error),
            "run it with the right to write there",
        ) from error


class Snapshots:
    """The snapshots of one machine."""

    def __init__(self, machine: Machine, version: str) -> None:
        self.machine = machine
        self.version = version
        self.cover: Cover = cover_for(machine.kind)
        self.folder = machine.state / "snapshots"

    @property
    def engine(self) -> str:
        """``btrfs`` where the root is a btrfs subvolume, ``copy`` everywhere else."""
        return "btrfs" if btrfs.is_subvolume(self.machine.root) else "copy"

    def all(self) -> list[Snapshot]:
        """The whole snapshots, oldest first; what is half made or unreadable is passed over."""
        found = []
        for folder in sorted(self.folder.glob("*/")) if self.folder.is_dir() else []:
            try:
                if (folder / "manifest.jsonl").is_file():
                    text = (folder / "description.toml").read_bytes()
                    found.append(msgspec.toml.decode(text, type=Snapshot))
            except (OSError, msgspec.DecodeError):
                continue
        return sorted(found, key=lambda snapshot: snapshot.created)

    def find(self, identifier: str) -> Snapshot:
        """A snapshot by its id, or by ``newest``; MachineError where there is none such."""
        known = self.all()
        for snapshot in known:
            if snapshot.id == identifier:
                return snapshot
        if identifier == "newest" and known:
            return known[-1]
        names = ", ".join(snapshot.id for snapshot in known) or "none"
        raise MachineError(
            f"finding the way back {identifier!r}", self.machine.name, f"there are: {names}"
        )

    def take(
        self, identifier: str, release: str, reason: str, leg: str, progress: Progress | None = None
    ) -> Snapshot:
        """Make a snapshot; the one of that id where it exists already and is whole.

        MachineError where there is no room or no right; what was half made is removed.
        """
        if not _ID.match(identifier):
            raise ValueError(f"not an id: {identifier!r}")
        for known in self.all():
            if known.id == identifier:
                return known
        folder = self.folder / identifier
        engine = self.engine
        try:
            self._prepare(folder)
            entries, details = (
                self._take_btrfs(folder) if engine == "btrfs" else self._take_copy(folder, progress)
            )
            snapshot = Snapshot(
                id=identifier,
                machine=self.machine.name,
                release=release,
                created=datetime.now(UTC).isoformat(timespec="seconds"),
                reason=reason,
                leg=leg,
                engine=engine,
                version=self.version,
                entries=len(entries),
                bytes_covered=sum(entry.size for entry in entries),
                left_out=self.cover.sentences,
                **details,
            )
            description = tomlkit.dumps(msgspec.to_builtins(snapshot))
            (folder / "description.toml").write_text(description, encoding="utf-8")
            sync_file_system(folder)
            write_manifest(folder / "manifest.jsonl", entries)
        except OSError as error:
            self._discard(folder)
            raise MachineError(
                "taking a snapshot",
                self.machine.name,
                error.strerror or str(error),
                "free space, or run it with the right to read everything; nothing was changed",
            ) from error
        return snapshot

    def _prepare(self, folder: Path) -> None:
        make_state_folder(self.machine)
        self._discard(folder)
        folder.mkdir(parents=True)
        os.chmod(self.folder, 0o700)

    def _take_copy(self, folder: Path, progress: Progress | None):
        known = self.all()
        previous = next((s for s in reversed(known) if s.engine == "copy"), None)
        before = self.folder / previous.id if previous else None
        self._check_room(before)
        (folder / "tree").mkdir()
        copy = TreeCopy(
            self.machine.root,
            folder / "tree",
            self.cover,
            before / "tree" if before else None,
            read_manifest(before / "manifest.jsonl") if before else {},
            progress,
        )
        entries = copy.copy()
        return entries, {
            "bytes_copied": copy.report.bytes_copied,
            "vanished": tuple(copy.report.vanished),
            "unstable": tuple(copy.report.unstable),
        }

    def _check_room(self, before: Path | None) -> None:
        """Refuse at once where a first copy cannot fit."""
        if before is not None:
            return
        room = os.statvfs(self.folder)
        free = room.f_bavail * room.f_frsize
        if _covers_more_than(free, self.machine.root, self.cover):
            raise OSError(errno.ENOSPC, f"no room: more than the {free} free bytes are needed")

    def _take_btrfs(self, folder: Path):
        btrfs.snapshot(self.machine.root, folder / "tree")
        return list(scan(folder / "tree", self.cover)), {"bytes_copied": 0}

    def _discard(self, folder: Path) -> None:
        tree = folder / "tree"
        if btrfs.is_subvolume(tree):
            btrfs.delete(tree)
        shutil.rmtree(folder, ignore_errors=True)

    def manifest(self, snapshot: Snapshot) -> dict[str, Entry]:
        """A snapshot's entries by path; MachineError where its manifest is damaged."""
        try:
            return read_manifest(self.folder / snapshot.id / "manifest.jsonl")
        except (OSError, msgspec.DecodeError) as error:
            raise MachineError(
                f"reading the manifest of {snapshot.id}", self.machine.name, str(error),
                "use another way back",
            ) from error  # fmt: skip

    def preview(self, snapshot: Snapshot) -> Preview:
        """What a return to a snapshot would change, by content."""
        return compare(self.machine.root, self.cover, self.manifest(snapshot))

    def restore(
        self, snapshot: Snapshot, progress: Callable[[str, int, int], None] | None = None
    ) -> RestoreReport:
        """Return the machine to a snapshot; can be run again at any time until it is done."""
        work = Restoration(
            self.machine.root,
            self.folder / snapshot.id / "tree",
            self.cover,
            self.manifest(snapshot),
            self.machine.root / STAGING,
            progress,
        )
        try:
            return work.restore()
        except DamagedSnapshot as error:
            raise MachineError(
                f"returning to {snapshot.id}", self.machine.name, str(error),
                "the machine is unchanged; use another way back",
            ) from error  # fmt: skip
        except OSError as error:
            raise MachineError(
                f"returning to {snapshot.id}",
                self.machine.name,
                f"{error.strerror} {error.filename or ''}".strip(),
                "the snapshot is untouched; mend the cause and return again",
            ) from error


def _covers_more_than(size: int, root: Path, cover: Cover) -> bool:
    """Whether the covered files take more than ``size`` bytes."""
    total, counted = 0, set()
    for seen in walk(root, cover):
        status = seen.status
        if status.st_nlink > 1 and status.st_ino in counted:
            continue
        counted.add(status.st_ino)
        total += status.st_blocks * 512
        if total > size:
            return True
    return False
