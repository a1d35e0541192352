"""The catalogue of a machine's snapshots: take, list, find, look into, pin, delete.

Below the state folder, or a folder on another disk, ``snapshots/ID/`` holds one folder for
each part with its ``manifest.jsonl`` and, for copies, ``tree/`` (the files); and
``description.toml``, written last, which a person can read without Brave Bridge.
"""

import contextlib
import os
import re
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.aside import aside
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.opening.beneath import LINK, Beneath
from brave_bridge.machines.opening.trust import why_not_trusted
from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots.archive_names import remove_archive
from brave_bridge.snapshots.choices import (
    Choices,
    choices_or_shipped,
    cover_of,
    own_folder,
    read_choices,
)
from brave_bridge.snapshots.description import (
    DESCRIPTION,
    PART_FOLDER,
    SNAPSHOT_ID,
    About,
    Gone,
    Keeping,
    Kept,
    Snapshot,
    read_description,
    read_keeping,
    write_keeping,
)
from brave_bridge.snapshots.engines.choose import ENGINES, choose, engine_of
from brave_bridge.snapshots.engines.engine import Mounted, Part, Use
from brave_bridge.snapshots.jobs.tree_copy import Progress, covered_bytes
from brave_bridge.snapshots.parts import Layout, layout_of
from brave_bridge.snapshots.rescue.build import keep_rescue_tool
from brave_bridge.snapshots.taking import (
    Taking,
    base_of,
    keep_plan,
    planned_parts,
    remove_folder,
)
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.leading import with_what_is_led_to
from brave_bridge.snapshots.trees.manifest import Manifest, checksum_of

_OR_SKIP = "; or leave out what is damaged: return --skip-damaged"
_GONE, _USES = "gone.jsonl", "uses.json"
_MOST_GONE = 200
_MOST_GONE_BYTES, _MOST_USES_BYTES = 1_000_000, 4_000_000


class Snapshots:
    """The snapshots of one machine."""

    def __init__(self, machine: FolderMachine, version: str) -> None:
        self.machine = machine
        self.version = version
        self.own = own_folder(machine)
        self.folder = self.own.path
        self.now: Callable[[], str] = lambda: datetime.now(UTC).isoformat(timespec="seconds")

    # What there is

    def all(self) -> list[Snapshot]:
        """The snapshots that can be returned to, oldest first."""
        return [kept.snapshot for kept in self.listed() if kept.is_whole]

    def listed(self) -> list[Kept]:
        """Every snapshot, oldest first, the damaged and unreachable ones with their fault.

        What is half made is no snapshot, and is not here.
        """
        found = [self._listed(folder) for folder in self._folders().values()]
        return sorted(found, key=lambda kept: kept.snapshot.order)

    def _folders(self) -> dict[str, Beneath]:
        """The folder of each snapshot's description, by id.

        Those on the chosen disk count also where the machine's own record of them is gone.
        """
        found = {}
        for folder in self.own.folders():
            if _holds_snapshot(folder):
                found[folder.name] = folder
        with contextlib.suppress(MachineError):
            store = read_choices(self.machine).keep_in
            for folder in Beneath(store, ours=True).folders() if store else ():
                if _holds_snapshot(folder) and _is_of(folder, self.machine.name, store):
                    found.setdefault(folder.name, folder)
        return found

    def _listed(self, folder: Beneath) -> Kept:
        try:
            snapshot = read_description(folder)
            if lie := _lie(snapshot, folder.name):
                raise ValueError(lie)
        except (OSError, ValueError) as error:
            # Nothing that it says is trusted.
            when = _changed_at(folder)
            nameless = Snapshot(
                id=folder.name,
                machine=self.machine.name,
                release="",
                created=when,
                reason="",
                leg="",
                version="",
            )
            fault = f"its description cannot be read: {error}"
            return Kept(snapshot=nameless, fault=fault, can_be_read=False)
        keeping, doubt = Keeping(), ""
        try:
            keeping = read_keeping(folder)
        except (OSError, ValueError) as error:
            doubt = f"what was decided about it cannot be read: {error}"
        fault = self._fault(snapshot)
        damaged = f"damaged: {keeping.faults[0]}" if keeping.faults else ""
        return Kept(
            snapshot=snapshot,
            keeping=keeping,
            fault=fault or damaged,
            doubt=doubt,
            can_be_read=not fault,
        )

    def _fault(self, snapshot: Snapshot) -> str:
        base = self.base(snapshot)
        if not base.is_folder():
            return f"the disk that keeps it is not here: {snapshot.kept_in}"
        if fault := _why_not_ours(base):
            return fault
        for part in snapshot.parts:
            manifest = base / part.folder / "manifest.jsonl"
            if fault := _why_not_ours(base / part.folder) or _link_in(base / part.folder):
                return fault
            status = manifest.status()
            if status is None or not status.st_size:
                return f"its manifest of {part.mount} is missing"
            if not manifest.is_file():
                return f"its manifest of {part.mount} is no file"
            if fault := ENGINES[part.engine].fault(part, base / part.folder):
                return fault
        return ""

    def base(self, snapshot: Snapshot) -> Beneath:
        """The folder that holds a snapshot's parts."""
        return base_of(snapshot, self.own)

    def find(self, identifier: str, *, though_damaged: bool = False) -> Snapshot:
        """A snapshot by its id, or by ``newest``; MachineError where there is none that serves.

        ``though_damaged``: also one of which single files are damaged.
        """
        known = self.listed()
        kept = self._named(identifier, known)
        if kept.is_whole or (though_damaged and kept.can_be_read):
            return kept.snapshot
        raise MachineError(
            f"opening the way back {identifier!r}",
            self.machine.name,
            kept.fault,
            f"use another one: {_names(known)}{_OR_SKIP if kept.can_be_read else ''}",
        )

    def kept(self, identifier: str) -> Kept:
        """A snapshot of the list, whole or not; MachineError where there is none such.

        As in ``find`` it may be called ``newest``.
        """
        return self._named(identifier, self.listed())

    def _named(self, identifier: str, known: list[Kept]) -> Kept:
        if identifier == "newest" and (whole := [kept for kept in known if kept.is_whole]):
            return whole[-1]
        for kept in known:
            if kept.snapshot.id == identifier:
                return kept
        past = next((gone for gone in self.gone() if gone.id == identifier), None)
        seen = f"it ended {past.ended[:10]}: {past.why}; " if past else ""
        raise MachineError(
            f"finding the way back {identifier!r}",
            self.machine.name,
            f"{seen}there are: {_names(known)}",
        )

    def gone(self) -> list[Gone]:
        """The ways back that ended, the newest first."""
        try:
            lines = self._end_of_gone().splitlines()
        except OSError:
            return []
        found = []
        for line in lines:
            with contextlib.suppress(msgspec.DecodeError):
                found.append(decode_json(line, Gone))
        return found[::-1][:_MOST_GONE]

    def _end_of_gone(self) -> bytes:
        with (self.own / _GONE).opened() as stream:
            stream.seek(max(0, stream.seek(0, os.SEEK_END) - _MOST_GONE_BYTES))
            return stream.read(_MOST_GONE_BYTES)

    # Taking one

    def layout(self, choices: Choices | None = None) -> Layout:
        """What a snapshot that is taken now would cover."""
        choices = choices or choices_or_shipped(self.machine)
        cover = cover_of(self.machine, choices)
        return layout_of(self.machine, cover, choices.taken_in)

    def layout_for(self, snapshot: Snapshot) -> Layout:
        """The file systems that a snapshot is of, whatever was decided since."""
        mounts = tuple(part.mount for part in snapshot.parts)
        return layout_of(self.machine, snapshot.cover, mounts)

    def cover_now(self, snapshot: Snapshot) -> Cover:
        """What a return to a snapshot may touch: what links lead to now is left alone as well."""
        return with_what_is_led_to(self.machine.root, snapshot.cover)

    def engines(self) -> list[tuple[Mounted, str, str]]:
        """The covered file systems, each with the engine that would take it and why."""
        store = self.folder if self.own.is_folder() else self.machine.root
        found = []
        for mounted in self.layout().covered:
            engine, why = choose(mounted, store)
            found.append((mounted, engine.name, why))
        return found

    def room(self) -> tuple[int, int]:
        """What a first copy of everything that engines copy would take, and what is free there."""
        choices = read_choices(self.machine)
        cover = cover_of(self.machine, choices)
        needed = sum(
            covered_bytes(mounted.folder, cover.below(mounted.path))
            for mounted, engine, _ in self.engines()
            if ENGINES[engine].copies
        )
        store = Path(choices.keep_in or self.folder)
        room = os.statvfs(store if store.is_dir() else self.machine.root)
        return needed, room.f_bavail * room.f_frsize

    def free_percent(self) -> float:
        """How much of the file system is free on which snapshots are kept; 100 if none is."""
        try:
            room = os.statvfs(self.folder)
        except OSError:
            return 100.0
        return 100 * room.f_bavail / max(room.f_blocks, 1)

    def take(self, identifier: str, about: About, progress: Progress | None = None) -> Snapshot:
        """Make a snapshot; the one of that id where it exists already and is whole.

        MachineError where there is no room or no right, or another is being taken; what was
        half made, now or before a kill, is removed.
        """
        if not SNAPSHOT_ID.match(identifier):
            raise ValueError(f"not an id: {identifier!r}")
        known = self.all()
        for snapshot in known:
            if snapshot.id == identifier:
                return snapshot
        try:
            self.machine.state.make()
            taking = Taking(self.machine, self.own, known, about, self.now(), self.version)
            with aside(self._keep_rescue_tool):
                taken = taking.take(identifier, progress or (lambda entries, size: None))
        except (OSError, ValueError) as error:
            raise MachineError(
                "taking a snapshot",
                self.machine.name,
                _words(error),
                "free space, or run it with the right to read everything; nothing was changed",
            ) from error
        self._keep_rescue_tool(*filter(None, (taken.kept_in,)))
        return taken

    def _keep_rescue_tool(self, *more: str) -> None:
        """Have it beside the snapshots: in the state folder, and on the disk that keeps them."""
        for folder in (self.machine.state.beneath, *(Beneath(disk, ours=True) for disk in more)):
            with contextlib.suppress(OSError):
                keep_rescue_tool(folder)

    # What is decided about it

    def keep(self, identifier: str, keeping: Keeping) -> Kept:
        """Keep what is decided about a snapshot."""
        self.kept(identifier)
        folder = self._folders()[identifier]
        write_keeping(folder, keeping)
        return self._listed(folder)

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
            id=snapshot.id,
            created=snapshot.created,
            release=snapshot.release,
            reason=snapshot.reason,
            why=why,
            freed=freed,
            ended=self.now(),
        )
        base = self.base(snapshot)
        own = self.own / identifier
        if base != own and base.is_folder() and not _is_ours(base, snapshot):
            raise MachineError(
                f"deleting {identifier}",
                self.machine.name,
                f"what stands in {base} is another",
                "look at it; nothing was removed",
            )
        try:
            # First the description: what is only half removed is no snapshot any more.
            for folder in {own, base}:
                keep_plan(folder, snapshot.parts)
                (folder / DESCRIPTION).remove()
            layout = self.layout_for(snapshot)
            for part in snapshot.parts if base.is_folder() else ():
                ENGINES[part.engine].delete(part, base / part.folder, layout.at(part.mount))
            # Last here: while it is, a cut-off removal on another disk is known as ours.
            for folder in dict.fromkeys((base, own)):
                remove_folder(folder)
            remove_archive(self.machine.state, identifier)
        except OSError as error:
            raise MachineError(
                f"deleting {identifier}",
                self.machine.name,
                error.strerror or str(error),
                "it is no way back any more; delete it again when the cause is mended",
            ) from error
        self._note_gone(gone)
        return gone

    def _note_gone(self, gone: Gone) -> None:
        """Keep what a way back was; what is no file of ours in its place is set aside first."""
        place, line = self.own / _GONE, msgspec.json.encode(gone) + b"\n"
        try:
            self.own.make_folder()
            place.make_way()
            place.add(line)
        except OSError as error:
            raise MachineError(
                f"noting that {gone.id} is gone",
                self.machine.name,
                _words(error),
                "it is gone all the same",
            ) from error

    def use_up(self, snapshot: Snapshot, why: str) -> None:
        """Say that a snapshot is none any more because it became the system itself."""
        if (self.own / snapshot.id / DESCRIPTION).is_file():
            write_keeping(self.own / snapshot.id, Keeping())
            self.delete(snapshot.id, why)

    # What it takes

    def use(self, kept: Kept) -> Use:
        """What a snapshot takes: alone, and shared with others."""
        base = self.base(kept.snapshot)
        uses = [ENGINES[part.engine].use(part, base / part.folder) for part in kept.snapshot.parts]
        fills = [use.room_left for use in uses if use.room_left >= 0]
        return Use(
            sum(use.alone for use in uses), sum(use.shared for use in uses), min(fills, default=-1)
        )

    def with_uses(self, listed: list[Kept]) -> list[Kept]:
        """The list with what each takes, counted anew only when snapshots came or went."""
        key = [kept.snapshot.id for kept in listed if kept.is_whole]
        fills = any(engine_of(part).fills for kept in listed for part in kept.snapshot.parts)
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
            if self.own.is_folder():
                (self.own / _USES).make_way()
                (self.own / _USES).write(content, 0o600)
        return found

    def _known_uses(self, key: list[str]) -> dict[str, Use]:
        try:
            content = (self.own / _USES).read(_MOST_USES_BYTES)
            for_key, known = decode_json(content, tuple[list[str], dict[str, Use]])
        except (OSError, msgspec.DecodeError):
            return {}
        return known if for_key == key else {}

    # Looking into it

    @contextlib.contextmanager
    def shown(self, snapshot: Snapshot, part: Part) -> Iterator[Path]:
        """The folder with a part's files; MachineError where they cannot be reached."""
        mounted = self.layout_for(snapshot).at(part.mount) or Mounted(part.mount, self.machine.root)
        try:
            with ENGINES[part.engine].shown(part, self.base(snapshot) / part.folder, mounted) as t:
                yield t
        except OSError as error:
            raise MachineError(
                f"opening {snapshot.id}",
                self.machine.name,
                error.strerror or str(error),
                "use another way back",
            ) from error

    def manifest(self, snapshot: Snapshot, part: Part) -> Manifest:
        """A part's manifest; MachineError where it is damaged or is not the one that was made."""
        self.check_manifest(snapshot, part)
        with self._of_manifest(snapshot, part) as path:
            return Manifest(path)

    def check_manifest(self, snapshot: Snapshot, part: Part) -> None:
        """MachineError where a part's manifest is not the one that was made."""
        with self._of_manifest(snapshot, part) as path:
            if checksum_of(path, part.checksum) != part.checksum:
                raise ValueError("its checksum is not the one of the description")

    @contextlib.contextmanager
    def _of_manifest(self, snapshot: Snapshot, part: Part) -> Iterator[Path]:
        try:
            yield (self.base(snapshot) / part.folder / "manifest.jsonl").path
        except (OSError, ValueError) as error:
            raise MachineError(
                f"reading the manifest of {snapshot.id}, {part.mount}",
                self.machine.name,
                str(error),
                "use another way back",
            ) from error


def _names(known: list[Kept]) -> str:
    """The ids of those that are whole."""
    return ", ".join(kept.snapshot.id for kept in known if kept.is_whole) or "none"


def _holds_snapshot(folder: Beneath) -> bool:
    """Whether a folder says that it is a snapshot, finished."""
    return bool(SNAPSHOT_ID.match(folder.name)) and (folder / DESCRIPTION).kind != ""


def _changed_at(folder: Beneath) -> str:
    """When a folder was changed last, as an ISO 8601 time."""
    status = folder.status()
    when = datetime.fromtimestamp(status.st_mtime if status else 0, UTC)
    return when.isoformat(timespec="seconds")


def _words(error: OSError | ValueError) -> str:
    """What an error says, and of which file."""
    words = getattr(error, "strerror", "") or str(error)
    where = getattr(error, "filename", None)
    return f"{words}: {where}" if where and str(where) not in words else words


def _is_ours(folder: Beneath, snapshot: Snapshot) -> bool:
    """Whether a folder on another disk holds that snapshot, whole or half removed."""
    try:
        return read_description(folder) == snapshot
    except (OSError, ValueError):
        return planned_parts(folder) is not None


def _is_of(folder: Beneath, machine: str, store: str) -> bool:
    """Whether a snapshot on another disk is of that machine; what cannot be read is not."""
    try:
        snapshot = read_description(folder)
    except (OSError, ValueError):
        return False
    return snapshot.machine == machine and snapshot.kept_in == store


def _lie(snapshot: Snapshot, name: str) -> str:
    """Why a description cannot be that of the snapshot in a folder of that name."""
    if snapshot.id != name:
        return "it names another snapshot"
    if not snapshot.parts:
        return "it names no parts"
    for part in snapshot.parts:
        if part.engine not in ENGINES or not PART_FOLDER.match(part.folder):
            return f"it names no part of a snapshot: {part.folder[:40]!r}"
        if part.place and not re.search(rf"[/@-]{re.escape(name)}\b", part.place):
            return f"it names a volume that is none of its own: {part.place[:80]!r}"
    return ""


def _why_not_ours(folder: Beneath) -> str:
    """Why a snapshot's folder cannot be trusted: a link, or others than root may write there."""
    if os.geteuid() != 0:
        return f"a link stands in it: {folder}" if folder.kind == LINK else ""
    try:
        faults = (why_not_trusted(f.path, ours_alone=True) for f in (folder.above, folder))
        return next(filter(None, faults), "")
    except OSError as error:
        return f"{folder} cannot be looked at: {error.strerror}"


def _link_in(folder: Beneath) -> str:
    """Which part of a snapshot is a link; empty where none is."""
    links = [folder / name for name in ("tree", "manifest.jsonl") if (folder / name).kind == LINK]
    return f"a link stands in it: {links[0]}" if links else ""
