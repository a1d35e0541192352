"""Looking into a snapshot and returning to it: preview, check, difference, one path, all."""

import contextlib
import errno
import os
import stat
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Query, Seen
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.description import Snapshot
from brave_bridge.snapshots.engines.choose import ENGINES, engine_of
from brave_bridge.snapshots.engines.engine import FILES, EngineError, Mounted, Part, Returned
from brave_bridge.snapshots.jobs.check import CheckJob
from brave_bridge.snapshots.jobs.comparison import Comparison, compare, comparison_job
from brave_bridge.snapshots.jobs.crew import carry_out
from brave_bridge.snapshots.returns.journal import Journal, new_journal, read_journal
from brave_bridge.snapshots.returns.one_path import put_back_path
from brave_bridge.snapshots.returns.reading_ahead import reading_ahead
from brave_bridge.snapshots.returns.restoration import (
    Restoration,
    RestoreReport,
    return_parts,
)
from brave_bridge.snapshots.returns.set_aside import SetAside, delete_set_aside, set_aside
from brave_bridge.snapshots.returns.staging import Tell
from brave_bridge.snapshots.trees.folders import opened, opened_root
from brave_bridge.snapshots.trees.leading import leads_to
from brave_bridge.snapshots.trees.manifest import Entry, decoded_path

_MOST_FAULTS = 50

BECAME = "a return made it the file system of "
"""How the catalogue says that a snapshot was used up by a merge."""


_FILE_LISTS, _LARGEST_LIST = "/var/lib/dpkg/info", 16_000_000


class Checked(msgspec.Struct, frozen=True):
    """What verifying a snapshot found."""

    entries: int
    bytes_read: int
    faults: tuple[str, ...]
    seconds: float


class Returning:
    """What can be done with a machine's snapshots once they are there."""

    def __init__(self, snapshots: Snapshots) -> None:
        self.snapshots = snapshots
        self.machine = snapshots.machine

    # Looking

    def preview(
        self,
        snapshot: Snapshot,
        progress: Callable[[int], None] = lambda done: None,
        *,
        by_content: bool = False,
        read: Mapping[str, frozenset[str]] | None = None,
    ) -> Comparison:
        """What a return would change, every part together; paths from the machine's root.

        ``by_content``: every file is read, but what a return has read meanwhile (``read`` of its
        report).
        """
        differences, held, compared = [], set(), 0
        for part, mounted in self._parts(snapshot):
            with self._explained(f"comparing with {snapshot.id}"):
                self.snapshots.check_manifest(snapshot, part)
                with (
                    self.snapshots.shown(snapshot, part) as tree,
                    engine_of(part).live(mounted) as live,
                ):
                    job = comparison_job(
                        live,
                        self.snapshots.cover_now(snapshot).below(part.mount),
                        (self.snapshots.base(snapshot) / part.folder).path,
                        tree,
                        by_content=by_content,
                        read=(read or {}).get(part.mount, frozenset()),
                    )
                    already = compared
                    found = compare(job, lambda done, already=already: progress(already + done))
            differences += [_from_root(part, difference) for difference in found.differences]
            held |= {_joined(part.mount, path) for path in found.held}
            compared += found.compared
        return Comparison(tuple(differences), frozenset(held), compared)

    def check(
        self, snapshot: Snapshot, progress: Callable[[int, int], None] = lambda entries, size: None
    ) -> Checked:
        """Read every file of a snapshot and hold it against its hash; the result is kept."""
        began = time.monotonic()
        faults: list[str] = []
        entries = size = 0
        for part in snapshot.parts:
            try:
                self.snapshots.check_manifest(snapshot, part)
                with self.snapshots.shown(snapshot, part) as tree:
                    manifest = self.snapshots.base(snapshot) / part.folder / "manifest.jsonl"
                    for done in carry_out(CheckJob(str(manifest), str(tree)), [""]):
                        entries += done.entries
                        size += done.bytes_read
                        faults += [part.mount.rstrip("/") + fault for fault in done.faults]
                        progress(entries, size)
            except MachineError as error:
                faults.append(error.seen)
            except (OSError, ValueError) as error:
                faults.append(str(error))
        when = datetime.now(UTC).isoformat(timespec="seconds")
        named = tuple(sorted(faults)[:_MOST_FAULTS])
        keeping = self.snapshots.kept(snapshot.id).keeping
        keeping = msgspec.structs.replace(keeping, verified_at=when, faults=named)
        self.snapshots.keep(snapshot.id, keeping)
        return Checked(entries, size, tuple(sorted(faults)), time.monotonic() - began)

    def interrupted(self) -> Journal | None:
        """The journal of a return that was cut off on this machine's own disks."""
        for mounted in self.snapshots.layout().covered:
            if journal := read_journal(mounted.folder):
                return journal
            if snapshot := next(filter(None, (e.cut_off(mounted) for e in ENGINES.values())), ""):
                return Journal(snapshot, self.machine.name, "swapping", "")
        return None

    def finish_exchange(self) -> bool:
        """Finish an exchange of subvolumes that a restart cut off; whether there was one.

        Until then the records are not in their place, and nothing may be written there.
        MachineError.
        """
        covered = self.snapshots.layout().covered
        cut_off = [(e, m) for m in covered for e in ENGINES.values() if e.cut_off(m)]
        for engine, mounted in cut_off:
            with self._explained("finishing an exchange of subvolumes"):
                engine.finish(mounted)
        return bool(cut_off)

    # What returns have set aside

    def set_aside(self) -> list[SetAside]:
        """Systems that returns by exchanged subvolumes have set aside; none where nobody knows."""
        try:
            return set_aside(self.snapshots.layout())
        except EngineError:
            return []

    def delete_set_aside(self, identifier: str) -> int:
        """Delete one of them; the bytes that are free again. MachineError where it cannot go."""
        try:
            return delete_set_aside(self.snapshots.layout(), identifier)
        except EngineError as error:
            attempted, seen = f"deleting {identifier}", error.strerror or str(error)
            raise MachineError(attempted, self.machine.name, seen, "restart first") from error

    # Returning

    def restore(
        self, snapshot: Snapshot, tell: Tell | None = None, *, skip_damaged: bool = False
    ) -> RestoreReport:
        """Return the machine to a snapshot; can be run again at any time until it is done.

        ``skip_damaged``: files that are damaged in it stay as they are, and are named with
        where else they could come from.
        """
        with contextlib.ExitStack() as stack, self._explained(f"returning to {snapshot.id}"):
            began = time.monotonic()
            pairs = self._parts(snapshot)
            for part, _ in pairs:
                self.snapshots.check_manifest(snapshot, part)
            ways = {mount: way for mount, way, _ in self.how(snapshot)}
            restorations = [
                self._restoration(snapshot, part, mounted, stack, tell, skip_damaged)
                for part, mounted in pairs
                if ways[part.mount] == FILES
            ]
            report = return_parts(restorations)
            for part, mounted in pairs:
                if ways[part.mount] != FILES:
                    returned = self._returned(part, mounted, snapshot)
                    report += self._return_whole(returned, snapshot.id)
            if report.used_up:
                self.snapshots.use_up(snapshot, BECAME + ", ".join(report.used_up))
            told = (*report.told, *self._elsewhere(snapshot, report.skipped))
            return msgspec.structs.replace(report, told=told, seconds=time.monotonic() - began)

    def _elsewhere(self, snapshot: Snapshot, paths: tuple[str, ...]) -> Iterator[str]:
        """From where else what could not come back could come, a sentence for each path."""
        others = [kept.snapshot for kept in self.snapshots.listed() if kept.can_be_read]
        for path in paths:
            wanted = self._entry(snapshot, path)
            same = [
                other.id
                for other in reversed(others)
                if other.id != snapshot.id and wanted and self._has_alike(other, path, wanted)
            ]
            places = [f"put-back {same[0]} {path}"] if same else []
            places += [f"the package {name}" for name in self._owners(path)]
            yield f"{path}: {' or '.join(places) or 'nothing else here has it'}"

    def _entry(self, snapshot: Snapshot, path: str) -> Entry | None:
        try:
            part, inside = self._part_of(snapshot, path)
            manifest = self.snapshots.manifest(snapshot, part)
        except MachineError:
            return None
        try:
            return manifest.entry(inside)
        finally:
            manifest.close()

    def _has_alike(self, other: Snapshot, path: str, wanted: Entry) -> bool:
        found = self._entry(other, path)
        return found is not None and (found.what, found.size) == (wanted.what, wanted.size)

    def _owners(self, path: str) -> list[str]:
        """The packages that ship a path, by dpkg's own lists."""
        line = f"{path}\n".encode()
        owners = []
        for place in self.machine.files.matching(f"{_FILE_LISTS}/*.list"):
            with contextlib.suppress(MachineError):
                if line in self.machine.files.read(place, _LARGEST_LIST):
                    owners.append(place.rpartition("/")[2].removesuffix(".list"))
        return owners

    def _return_whole(self, returned: Returned, identifier: str) -> RestoreReport:
        """Return a whole part in one step."""
        part = returned.part
        given = engine_of(part).give_back(returned, identifier)
        return RestoreReport(
            part.entries,
            0,
            0,
            0.0,
            restart_needed=given.restart_needed or bool(given.aside and self._is_running),
            aside=given.aside,
            used_up=(part.mount,) if given.used_up else (),
        )

    @property
    def _is_running(self) -> bool:
        return self.machine.is_this_system

    def _returned(self, part: Part, mounted: Mounted, snapshot: Snapshot) -> Returned:
        return Returned(
            part,
            mounted,
            self.snapshots.cover_now(snapshot).below(part.mount),
            self.snapshots.base(snapshot) / part.folder,
            self.machine.state.folder,
        )

    def how(self, snapshot: Snapshot) -> list[tuple[str, str, str]]:
        """For each part: where, how it comes back (``files``, ``swap``, ``merge``), why so."""
        pairs = self._parts(snapshot)
        ways = [engine_of(part).way(self._returned(part, m, snapshot)) for part, m in pairs]
        return [(part.mount, way.how, way.why) for (part, _), way in zip(pairs, ways, strict=True)]

    def _restoration(
        self,
        snapshot: Snapshot,
        part: Part,
        mounted: Mounted,
        stack: contextlib.ExitStack,
        tell: Tell | None,
        skip_damaged: bool = False,
    ) -> Restoration:
        tree = stack.enter_context(self.snapshots.shown(snapshot, part))
        journal = new_journal(snapshot.id, self.machine.name, snapshot.kept_in)
        folder = (self.snapshots.base(snapshot) / part.folder).path
        cover = self.snapshots.cover_now(snapshot).below(part.mount)
        stack.enter_context(engine_of(part).opened_up(part, mounted))
        restoration = Restoration(
            mounted.folder, folder, cover, journal, tree, tell, part.mount, part.apart, skip_damaged
        )
        restoration.begin_to_read = reading_ahead
        return restoration

    def restore_path(self, snapshot: Snapshot, path: str) -> str:
        """Put one path back, with all below it; what it came to in words."""
        part, inside = self._part_of(snapshot, path)
        mounted = next(m for p, m in self._parts(snapshot) if p.mount == part.mount)
        with self._explained(f"putting back {path}"):
            manifest = self.snapshots.manifest(snapshot, part)
            try:
                with self.snapshots.shown(snapshot, part) as tree:
                    cover = self.snapshots.cover_now(snapshot).below(part.mount)
                    return put_back_path(manifest, tree, mounted.folder, inside, cover)
            finally:
                manifest.close()

    def led_to(self, paths: list[str]) -> dict[str, str]:
        """Where paths of the machine lead, each from its root; those that no link is on are not."""
        found = {path: leads_to(self.machine.root, path) for path in paths}
        return {path: place for path, place in found.items() if place != path}

    # Its files

    def read_file(self, snapshot: Snapshot, path: str, limit: int) -> bytes:
        """A file's content as the snapshot has it; MachineError where it is none or is too long."""
        part, inside = self._part_of(snapshot, path)
        folder, _, name = decoded_path(inside).rpartition("/")
        with self._explained(f"reading {path} of {snapshot.id}"):
            with (
                self.snapshots.shown(snapshot, part) as tree,
                opened_root(tree) as top,
                opened(top, folder) as parent,
            ):
                flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK
                with open(os.open(name, flags, dir_fd=parent), "rb") as stream:
                    if not stat.S_ISREG(os.fstat(stream.fileno()).st_mode):
                        raise OSError(errno.EINVAL, "it is no file")
                    content = stream.read(limit + 1)
            if len(content) > limit:
                raise OSError(27, f"longer than {limit} bytes")
            return content

    def gather(self, snapshot: Snapshot, queries: Sequence[Query]) -> Seen:
        """What a snapshot's root part has of what is asked for, as of a tree."""
        with self.snapshots.shown(snapshot, snapshot.parts[0]) as tree:
            return FolderFiles(snapshot.id, tree).gather(queries)

    def entries(self, snapshot: Snapshot) -> dict[str, Entry]:
        """Every entry of a snapshot by its path from the machine's root."""
        found = {}
        for part in snapshot.parts:
            manifest = self.snapshots.manifest(snapshot, part)
            try:
                for entry in manifest.entries():
                    found[f"{part.mount.strip('/')}/{entry.path}".strip("/")] = entry
            finally:
                manifest.close()
        return found

    # The parts on the machine

    def _parts(self, snapshot: Snapshot) -> list[tuple[Part, Mounted]]:
        """Each part with the file system that it belongs to; MachineError where one is missing."""
        layout = self.snapshots.layout_for(snapshot)
        pairs = []
        for part in snapshot.parts:
            if snapshot.cover.keeps_out_of(part.mount):
                continue  # taken by an earlier version although its place is left out
            mounted = layout.at(part.mount)
            if mounted is None and _is_inner(part, snapshot):
                mounted = self._inner(part, layout.covered[0])
            if mounted is None or (part.mount != "/" and part.uuid != mounted.uuid):
                raise MachineError(
                    f"opening {snapshot.id}",
                    self.machine.name,
                    f"the file system of {part.mount} is not mounted there",
                    _mount_words(part, self.machine.root),
                )
            pairs.append((part, mounted))
        return pairs

    def _inner(self, part: Part, root: Mounted) -> Mounted:
        folder = self.machine.root / part.mount.lstrip("/")
        return msgspec.structs.replace(
            root, path=part.mount, folder=folder, subvolume=part.subvolume, uuid=part.uuid
        )

    def _part_of(self, snapshot: Snapshot, path: str) -> tuple[Part, str]:
        """The part that a path of the machine is in, and its path there as a manifest has it."""
        wanted = "/" + path.strip("/")
        holders = [
            part
            for part in snapshot.parts
            if wanted == part.mount or wanted.startswith(part.mount.rstrip("/") + "/")
        ]
        if not holders:
            raise MachineError(f"finding {path}", self.machine.name, "no part holds it")
        part = max(holders, key=lambda part: len(part.mount))
        return part, wanted[len(part.mount.rstrip("/")) :].strip("/")

    @contextlib.contextmanager
    def _explained(self, attempted: str) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            where = f" {error.filename}" if error.filename else ""
            raise MachineError(
                attempted,
                self.machine.name,
                f"{error.strerror or error}{where}",
                "the snapshot is untouched; mend the cause and try again",
            ) from error
        except ValueError as error:
            raise MachineError(
                attempted,
                self.machine.name,
                str(error),
                "the machine is unchanged; use another way back",
            ) from error


def _is_inner(part: Part, snapshot: Snapshot) -> bool:
    """Whether a part is a subvolume within another part's, and no mount of its own."""
    others = [other for other in snapshot.parts if other.mount != part.mount]
    return engine_of(part).nests and any(
        part.subvolume.startswith(other.subvolume.rstrip("/") + "/")
        and part.mount.startswith(other.mount.rstrip("/") + "/")
        for other in others
    )


def _joined(mount: str, path: str) -> str:
    below = mount.strip("/")
    return "/".join(piece for piece in (below, path) if piece)


def _from_root(part: Part, difference):
    return msgspec.structs.replace(difference, path=_joined(part.mount, difference.path))


def _mount_words(part: Part, root: Path) -> str:
    device = f"UUID={part.uuid}" if part.uuid else part.device or "its device"
    options = f" -o subvol={part.subvolume}" if part.file_system == "btrfs" else ""
    return f"mount it first: mount{options} {device} {root}{part.mount}".replace("//", "/")
