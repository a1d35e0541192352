"""The catalogue of a machine's snapshots: take, list, find, look into, pin, delete.

Below the state folder, or a folder on another disk, ``snapshots/ID/`` holds one folder for
each part with its ``manifest.jsonl`` and, for copies, ``tree/`` (the files); and
``description.toml``, written last, which a person can read without Brave Bridge.
"""

import contextlib
import errno
import os
import re
import stat
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.snapshots.choices import Choices, own_folder, read_choices
from brave_bridge.snapshots.cover import Cover
from brave_bridge.snapshots.description import (
    DESCRIPTION,
    Gone,
    Keeping,
    Kept,
    Snapshot,
    read_description,
    read_keeping,
    write_description,
    write_keeping,
)
from brave_bridge.snapshots.engines import btrfs
from brave_bridge.snapshots.engines.choose import ENGINES, choose
from brave_bridge.snapshots.engines.engine import Mounted, Part, Use
from brave_bridge.snapshots.files import sync_file_system
from brave_bridge.snapshots.folders import open_root, remove_tree
from brave_bridge.snapshots.manifest import Manifest
from brave_bridge.snapshots.parts import Layout, layout_of
from brave_bridge.snapshots.tree_copy import CopyReport, Progress

_ID = re.compile(r"^[a-z0-9][a-z0-9-]{0,79}$")
_GONE, _MAKING, _USES = "gone.jsonl", "making.json", "uses.json"
_MOST_GONE = 200


class About(msgspec.Struct, frozen=True, kw_only=True):
    """What a snapshot shall say of itself."""

    release: str
    reason: str
    leg: str = ""
    kernel: str = ""
    boot_entry: str = ""
    engine: str = ""
    """The engine that is asked for; empty for the one that suits best."""


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
        self.folder = own_folder(machine)
        self.now: Callable[[], str] = lambda: datetime.now(UTC).isoformat(timespec="seconds")

    # What there is

    def all(self) -> list[Snapshot]:
        """The snapshots that can be returned to, oldest first."""
        return [kept.snapshot for kept in self.listed() if kept.is_whole]

    def listed(self) -> list[Kept]:
        """Every snapshot, oldest first, the damaged and unreachable ones with their fault.

        What is half made is no snapshot, and is not here.
        """
        found = []
        for folder in sorted(self.folder.glob("*/")) if self.folder.is_dir() else []:
            if (folder / DESCRIPTION).exists() and _ID.match(folder.name):
                found.append(self._listed(folder))
        return sorted(found, key=lambda kept: (kept.snapshot.created, kept.snapshot.id))

    def _listed(self, folder: Path) -> Kept:
        try:
            snapshot = read_description(folder)
            if lie := _lie(snapshot, folder.name):
                raise ValueError(lie)
        except (OSError, ValueError) as error:
            # Nothing that it says is trusted.
            when = datetime.fromtimestamp(folder.stat().st_mtime, UTC).isoformat(timespec="seconds")
            nameless = Snapshot(
                id=folder.name, machine=self.machine.name, release="", created=when, reason="",
                leg="", version="",
            )  # fmt: skip
            return Kept(snapshot=nameless, fault=f"its description cannot be read: {error}")
        keeping = read_keeping(folder)
        return Kept(snapshot=snapshot, keeping=keeping, fault=self._fault(snapshot, keeping))

    def _fault(self, snapshot: Snapshot, keeping: Keeping) -> str:
        base = self.base(snapshot)
        if not base.is_dir():
            return f"the disk that keeps it is not here: {snapshot.kept_in}"
        if fault := _open_to_others(base):
            return fault
        for part in snapshot.parts:
            manifest = base / part.folder / "manifest.jsonl"
            if not manifest.is_file() or not manifest.stat().st_size:
                return f"its manifest of {part.mount} is missing"
            if part.engine == "copy" and not (base / part.folder / "tree").is_dir():
                return f"its files of {part.mount} are missing"
        return f"damaged: {keeping.faults[0]}" if keeping.faults else ""

    def base(self, snapshot: Snapshot) -> Path:
        """The folder that holds a snapshot's parts."""
        own = self.folder / snapshot.id
        return Path(snapshot.kept_in) / snapshot.id if snapshot.kept_in else own

    def find(self, identifier: str) -> Snapshot:
        """A snapshot by its id, or by ``newest``; MachineError where there is none that serves."""
        known = self.listed()
        whole = [kept.snapshot for kept in known if kept.is_whole]
        if identifier == "newest" and whole:
            return whole[-1]
        kept = next((kept for kept in known if kept.snapshot.id == identifier), None)
        if kept and kept.is_whole:
            return kept.snapshot
        names = ", ".join(snapshot.id for snapshot in whole) or "none"
        if kept:
            raise MachineError(
                f"opening the way back {identifier!r}", self.machine.name, kept.fault,
                f"use another one: {names}",
            )  # fmt: skip
        past = next((gone for gone in self.gone() if gone.id == identifier), None)
        seen = f"it ended {past.ended[:10]}: {past.why}; " if past else ""
        raise MachineError(
            f"finding the way back {identifier!r}", self.machine.name, f"{seen}there are: {names}"
        )

    def kept(self, identifier: str) -> Kept:
        """A snapshot of the list, whole or not; MachineError where there is none such."""
        kept = next((k for k in self.listed() if k.snapshot.id == identifier), None)
        if kept is None:
            self.find(identifier)
        return kept

    def gone(self) -> list[Gone]:
        """The ways back that ended, the newest first."""
        try:
            lines = (self.folder / _GONE).read_bytes()[-1_000_000:].splitlines()
        except OSError:
            return []
        found = []
        for line in lines:
            with contextlib.suppress(msgspec.DecodeError):
                found.append(msgspec.json.decode(line, type=Gone))
        return found[::-1][:_MOST_GONE]

    # Taking one

    def layout(self, choices: Choices | None = None) -> Layout:
        """What a snapshot that is taken now would cover."""
        choices = choices or read_choices(self.machine)
        cover = choices.cover(self.machine.kind)
        return layout_of(self.machine, cover, choices.taken_in)

    def engines(self) -> list[tuple[Mounted, str, str]]:
        """The covered file systems, each with the engine that would take it and why."""
        store = self.folder if self.folder.is_dir() else self.machine.root
        found = []
        for mounted in self.layout().covered:
            engine, why = choose(mounted, store)
            found.append((mounted, engine.name, why))
        return found

    def take(self, identifier: str, about: About, progress: Progress | None = None) -> Snapshot:
        """Make a snapshot; the one of that id where it exists already and is whole.

        MachineError where there is no room or no right; what was half made is removed.
        """
        if not _ID.match(identifier):
            raise ValueError(f"not an id: {identifier!r}")
        for known in self.all():
            if known.id == identifier:
                return known
        choices = read_choices(self.machine)
        try:
            return self._take(identifier, about, choices, progress or (lambda entries, size: None))
        except (OSError, ValueError) as error:
            self.remove_half_made(identifier)
            raise MachineError(
                "taking a snapshot",
                self.machine.name,
                getattr(error, "strerror", "") or str(error),
                "free space, or run it with the right to read everything; nothing was changed",
            ) from error

    def _take(
        self, identifier: str, about: About, choices: Choices, progress: Progress
    ) -> Snapshot:
        make_state_folder(self.machine)
        self.remove_half_made(identifier)
        base = self._make_folders(identifier, choices)
        cover = choices.cover(self.machine.kind)
        layout = self.layout(choices)
        taking = Taking(self, base, cover, about, progress)
        parts = [taking.part(mounted) for mounted in layout.covered]
        parts += [taking.part(inner) for inner in _inner_subvolumes(layout, parts)]
        snapshot = Snapshot(
            id=identifier,
            machine=self.machine.name,
            release=about.release,
            created=self.now(),
            reason=about.reason,
            leg=about.leg,
            version=self.version,
            kernel=about.kernel,
            boot_entry=about.boot_entry,
            kept_in=choices.keep_in,
            parts=tuple(parts),
            uncovered=tuple(f"{u.path}: {u.why}" for u in layout.uncovered),
            exclusions=cover.exclusions,
        )
        sync_file_system(base)
        if choices.keep_in:
            write_description(base, snapshot)
        write_description(self.folder / identifier, snapshot)
        sync_file_system(self.folder)
        (base / _MAKING).unlink(missing_ok=True)
        return snapshot

    def _make_folders(self, identifier: str, choices: Choices) -> Path:
        (self.folder / identifier).mkdir(parents=True)
        os.chmod(self.folder, 0o700)
        if not choices.keep_in:
            return self.folder / identifier
        store = Path(choices.keep_in)
        if not store.is_dir():
            raise OSError(errno.ENOENT, f"the disk for snapshots is not here: {store}")
        self._refuse_inside_cover(store, choices)
        base = store / identifier
        base.mkdir(mode=0o700)
        return base

    def _refuse_inside_cover(self, store: Path, choices: Choices) -> None:
        """A store must not be part of what it keeps, nor go with it when it is restored."""
        device = store.stat().st_dev
        cover = choices.cover(self.machine.kind)
        for mounted in self.layout(choices).covered:
            if device != mounted.folder.stat().st_dev:
                continue
            inside = os.path.relpath(os.path.realpath(store), os.path.realpath(mounted.folder))
            pieces = inside.split("/")
            below = cover.below(mounted.path)
            above = ["/".join(pieces[: n + 1]) for n in range(len(pieces))]
            if not inside.startswith("..") and not any(below.leaves_out(path) for path in above):
                raise OSError(
                    errno.EINVAL, f"{store} is part of what the snapshot covers: name another disk"
                )

    def previous(self, mounted: Mounted, base: Path) -> Path | None:
        """The newest copy of a file system that stands where ``base`` does, to be shared with."""
        for snapshot in reversed(self.all()):
            for part in snapshot.parts:
                same = part.mount == mounted.path and part.uuid == mounted.uuid
                if part.engine == "copy" and same and self.base(snapshot).parent == base.parent:
                    return self.base(snapshot) / part.folder
        return None

    def remove_half_made(self, identifier: str = "") -> None:
        """Remove what a kill left: of one id, or of every snapshot that was not finished."""
        own = [self.folder / identifier] if identifier else list(self.folder.glob("*/"))
        stores = [Path(read_choices(self.machine).keep_in or self.folder) / f.name for f in own]
        for folder in {*own, *stores}:
            if folder.is_dir() and not (self.folder / folder.name / DESCRIPTION).exists():
                for planned in _planned(folder):
                    with contextlib.suppress(OSError, KeyError):
                        ENGINES[planned.engine].delete(planned, folder / planned.folder, None)
                _remove(folder)

    # What is decided about it

    def keep(self, identifier: str, **changes) -> Kept:
        """Change what is decided about a snapshot: fields of Keeping."""
        kept = self.kept(identifier)
        changed = msgspec.structs.replace(kept.keeping, **changes)
        write_keeping(self.folder / identifier, changed)
        return self._listed(self.folder / identifier)

    def delete(self, identifier: str, why: str) -> Gone:
        """Remove a snapshot; what it was is kept with when and why it ended.

        MachineError where it is pinned or something of it cannot be removed.
        """
        kept = self.kept(identifier)
        snapshot = kept.snapshot
        if kept.keeping.pinned:
            raise MachineError(
                f"deleting {identifier}", self.machine.name, "it is pinned", "unpin it first"
            )
        freed = self.use(kept).alone if kept.is_whole else 0
        gone = Gone(
            id=snapshot.id, created=snapshot.created, release=snapshot.release,
            reason=snapshot.reason, why=why, freed=freed,
            ended=self.now(),
        )  # fmt: skip
        base = self.base(snapshot)
        try:
            # First the description: what is only half removed is no snapshot any more.
            for folder in {self.folder / identifier, base}:
                _keep_plan(folder, snapshot.parts)
                (folder / DESCRIPTION).unlink(missing_ok=True)
            layout = self.layout()
            for part in snapshot.parts if base.is_dir() else ():
                ENGINES[part.engine].delete(part, base / part.folder, layout.at(part.mount))
            for folder in {base, self.folder / identifier}:
                _remove(folder)
        except OSError as error:
            raise MachineError(
                f"deleting {identifier}", self.machine.name, error.strerror or str(error),
                "it is no way back any more; delete it again when the cause is mended",
            ) from error  # fmt: skip
        with open(self.folder / _GONE, "ab") as stream:
            stream.write(msgspec.json.encode(gone) + b"\n")
        return gone

    def use_up(self, snapshot: Snapshot, why: str) -> None:
        """Say that a snapshot is none any more because it became the system itself."""
        if (self.folder / snapshot.id / DESCRIPTION).exists():
            write_keeping(self.folder / snapshot.id, Keeping())
            self.delete(snapshot.id, why)

    # What it takes

    def use(self, kept: Kept) -> Use:
        """What a snapshot takes: alone, and shared with others."""
        base = self.base(kept.snapshot)
        uses = [
            ENGINES[part.engine].use(part, base / part.folder, []) for part in kept.snapshot.parts
        ]
        fills = [use.room_left for use in uses if use.room_left >= 0]
        return Use(
            sum(use.alone for use in uses), sum(use.shared for use in uses), min(fills, default=-1)
        )

    def with_uses(self, listed: list[Kept]) -> list[Kept]:
        """The list with what each takes, counted anew only when snapshots came or went."""
        key = [kept.snapshot.id for kept in listed if kept.is_whole]
        fills = any(part.engine == "lvm" for kept in listed for part in kept.snapshot.parts)
        known = {} if fills else self._known_uses(key)
        found = []
        for kept in listed:
            identifier = kept.snapshot.id
            if kept.is_whole and identifier not in known:
                with contextlib.suppress(OSError):
                    known[identifier] = self.use(kept)
            found.append(msgspec.structs.replace(kept, use=known.get(identifier)))
        with contextlib.suppress(OSError):
            content = msgspec.json.encode((key, known))
            (self.folder / _USES).write_bytes(content)
        return found

    def _known_uses(self, key: list[str]) -> dict[str, Use]:
        try:
            content = (self.folder / _USES).read_bytes()
            for_key, known = msgspec.json.decode(content, type=tuple[list[str], dict[str, Use]])
        except (OSError, msgspec.DecodeError):
            return {}
        return known if for_key == key else {}

    # Looking into it

    @contextlib.contextmanager
    def shown(self, snapshot: Snapshot, part: Part) -> Iterator[Path]:
        """The folder with a part's files; MachineError where they cannot be reached."""
        mounted = self.layout().at(part.mount) or Mounted(part.mount, self.machine.root)
        try:
            with ENGINES[part.engine].shown(part, self.base(snapshot) / part.folder, mounted) as t:
                yield t
        except OSError as error:
            raise MachineError(
                f"opening {snapshot.id}", self.machine.name, error.strerror or str(error),
                "use another way back",
            ) from error  # fmt: skip

    def manifest(self, snapshot: Snapshot, part: Part) -> Manifest:
        """A part's manifest; MachineError where it is damaged or is not the one that was made."""
        try:
            manifest = Manifest(self.base(snapshot) / part.folder / "manifest.jsonl")
            if manifest.checksum() != part.checksum:
                raise ValueError("its checksum is not the one of the description")
        except (OSError, ValueError) as error:
            raise MachineError(
                f"reading the manifest of {snapshot.id}, {part.mount}", self.machine.name,
                str(error), "use another way back",
            ) from error  # fmt: skip
        return manifest


_PART = re.compile(r"^[a-z0-9][a-z0-9._-]{0,120}$")


class Taking:
    """One snapshot while it is being made."""

    def __init__(
        self, snapshots: Snapshots, base: Path, cover: Cover, about: About, progress: Progress
    ) -> None:
        self.snapshots = snapshots
        self.base = base
        self.cover = cover
        self.about = about
        self.progress = progress
        self._planned: list[Part] = []
        self._done = (0, 0)

    def part(self, mounted: Mounted) -> Part:
        """Make the snapshot of one file system."""
        engine, why = choose(mounted, self.base, self.about.engine)
        name = _slug(mounted.path, len(self._planned))
        folder = self.base / name
        folder.mkdir(mode=0o700)
        part = Part(
            mount=mounted.path, engine=engine.name, why=why, folder=name,
            place=engine.place(mounted, self.base.name), file_system=mounted.type,
            device=mounted.device, uuid=mounted.uuid, subvolume=mounted.subvolume,
        )  # fmt: skip
        self._planned.append(part)
        _keep_plan(self.base, self._planned)
        previous = self.snapshots.previous(mounted, self.base) if engine.name == "copy" else None
        cover = self.cover.below(mounted.path)
        report = engine.take(mounted, cover, folder, part.place, previous, self._tell)
        self._done = (self._done[0] + report.entries, self._done[1] + report.bytes_covered)
        return _finished(part, report)

    def _tell(self, entries: int, size: int) -> None:
        self.progress(self._done[0] + entries, self._done[1] + size)


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


def _inner_subvolumes(layout: Layout, parts: list[Part]) -> list[Mounted]:
    """The subvolumes within covered btrfs subvolumes, which a snapshot of these leaves empty."""
    found = []
    mounts = {mounted.path for mounted in layout.covered} | {u.path for u in layout.uncovered}
    for part in parts:
        mounted = layout.at(part.mount)
        if part.engine != "btrfs" or mounted is None:
            continue
        for inner in btrfs.nested(mounted.folder):
            path = f"{mounted.path.rstrip('/')}/{inner}"
            if path not in mounts and not _below_any(path, mounts) and not _is_state(path):
                found.append(
                    msgspec.structs.replace(
                        mounted,
                        path=path,
                        folder=mounted.folder / inner,
                        subvolume=f"{mounted.subvolume.rstrip('/')}/{inner}",
                    )
                )
    return found


def _below_any(path: str, mounts: set[str]) -> bool:
    return any(path.startswith(mount + "/") for mount in mounts if mount != "/")


def _is_state(path: str) -> bool:
    return (path + "/").startswith("/var/lib/brave-bridge/")


def _keep_plan(folder: Path, parts: "list[Part] | tuple[Part, ...]") -> None:
    if folder.is_dir():
        (folder / _MAKING).write_bytes(msgspec.json.encode(list(parts)))


def _planned(folder: Path) -> list[Part]:
    try:
        return msgspec.json.decode((folder / _MAKING).read_bytes(), type=list[Part])
    except (OSError, msgspec.DecodeError):
        return []


def _remove(folder: Path) -> None:
    """Remove a snapshot's folder, the subvolumes in it by their own tool."""
    if not folder.is_dir():
        return
    for part in folder.iterdir():
        if part.is_dir() and btrfs.is_subvolume(part / "tree"):
            btrfs.delete_subvolume(part / "tree")
    parent = open_root(folder.parent)
    try:
        remove_tree(folder.name, parent)
    finally:
        os.close(parent)


def _lie(snapshot: Snapshot, name: str) -> str:
    """Why a description cannot be that of the snapshot in a folder of that name."""
    if snapshot.id != name:
        return "it names another snapshot"
    if not snapshot.parts:
        return "it names no parts"
    for part in snapshot.parts:
        if part.engine not in ENGINES or not _PART.match(part.folder):
            return f"it names no part of a snapshot: {part.folder[:40]!r}"
    return ""


def _open_to_others(folder: Path) -> str:
    """Why a snapshot's folder cannot be trusted: others than root may write there."""
    if os.geteuid() != 0:
        return ""
    for place in (folder.parent, folder):
        status = place.stat()
        if status.st_uid != 0 or status.st_mode & (stat.S_IWGRP | stat.S_IWOTH):
            return f"others than root may have changed it: {place}"
    return ""
