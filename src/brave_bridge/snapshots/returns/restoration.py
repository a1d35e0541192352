"""Returning a live tree to a snapshot: compare, stage, swap, settle.

Everything that must come back is first copied beside the tree on the same file system and
checked against the manifest, so a damaged snapshot is found before the live tree is
touched. Then it is swapped in, one step a path; a folder that is missing, or that stands
where something else stood, comes in one piece. First comes what is only added, then what
is replaced, of that the boot loader's files last, and only then goes what came since: at
every instant kernels and modules of one side or the other are complete. The work is found
by comparing, so after a kill at any instant a second run finishes it and ends the same. A
journal in the staging folder says what is under way, to whoever boots next.
"""

import contextlib
import errno
import os
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Protocol

import msgspec

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.jobs.check import CheckJob
from brave_bridge.snapshots.jobs.compare import ATTRIBUTES, CHANGED, EXTRA, MISSING, CompareJob
from brave_bridge.snapshots.jobs.comparison import Comparison, compare, comparison_job
from brave_bridge.snapshots.jobs.crew import HELPERS, Crew, carry_out
from brave_bridge.snapshots.jobs.large_removal import remove_large_tree
from brave_bridge.snapshots.returns.journal import Journal, write_journal
from brave_bridge.snapshots.returns.moving import move_in
from brave_bridge.snapshots.returns.staging import Staging, Tell, Top
from brave_bridge.snapshots.returns.swap_order import belongs_to_boot, depth, is_below, swap_order
from brave_bridge.snapshots.returns.taking_away import take_away
from brave_bridge.snapshots.trees.cover import STAGING, Cover
from brave_bridge.snapshots.trees.dressing import set_attributes, set_attributes_of
from brave_bridge.snapshots.trees.folders import (
    opened,
    opened_parent,
    opened_root,
    unlocked,
    whole_path,
)
from brave_bridge.snapshots.trees.manifest import (
    FILE,
    FOLDER,
    PLACE,
    Entry,
    Manifest,
    decoded_path,
    encoded_path,
)
from brave_bridge.snapshots.trees.mounts import swap_files_below
from brave_bridge.snapshots.trees.removal import remove_tree
from brave_bridge.snapshots.trees.system_calls import sync_file_system

_WORK = "work"
_MOST_TOLD = 20


class RestoreReport(msgspec.Struct, frozen=True):
    """What a return did."""

    put_back: int
    removed: int
    bytes_copied: int
    seconds: float
    restart_needed: bool = False
    aside: tuple[str, ...] = ()
    """Subvolumes that were set aside with the system as it was before the return."""
    used_up: tuple[str, ...] = ()
    """Mounts whose snapshot became the file system itself, and is none any more."""
    told: tuple[str, ...] = ()
    """What was left alone, or came back otherwise than it was, in sentences."""
    skipped: tuple[str, ...] = ()
    """The paths that could not come back, as they are damaged in the snapshot."""
    read: dict[str, frozenset[str]] = {}
    """By mount, the folders of which all that was left alone was read meanwhile."""

    def __add__(self, other: "RestoreReport") -> "RestoreReport":
        return RestoreReport(
            self.put_back + other.put_back,
            self.removed + other.removed,
            self.bytes_copied + other.bytes_copied,
            max(self.seconds, other.seconds),
            self.restart_needed or other.restart_needed,
            self.aside + other.aside,
            self.used_up + other.used_up,
            self.told + other.told,
            self.skipped + other.skipped,
            {**self.read, **other.read},
        )


class Reader(Protocol):
    """Reads what is left alone meanwhile."""

    def end(self) -> frozenset[str]:
        """End it; the folders of which it has read all that was left alone, as it should be."""


class Restoration:
    """The return of one part: ``root`` to what ``folder`` holds (``tree``: where its files are).

    ``mount`` is where the part stands on the machine; ``apart`` names what was a mount or a
    subvolume in it when the snapshot was taken. ``skip_damaged``: a file that is damaged in
    the snapshot is left as it is, ``skipped`` names it with its fault; else nothing is done.
    """

    def __init__(
        self,
        root: Path,
        folder: Path,
        cover: Cover,
        journal: Journal,
        tree: Path | None = None,
        tell: Tell | None = None,
        mount: str = "/",
        apart: tuple[str, ...] = (),
        skip_damaged: bool = False,
    ) -> None:
        self.skip_damaged = skip_damaged
        self.skipped: tuple[tuple[str, str], ...] = ()
        self.mount = mount
        self.apart = apart
        self.root = root
        self.folder = folder
        self.tree = tree or folder / "tree"
        self.cover = cover
        self.journal = journal
        self.tell = tell or (lambda phase, done, total: None)
        self.helpers: int | Crew = HELPERS
        self.begin_to_read: Callable[[CompareJob], Reader | None] = lambda job: None
        """Called with the comparison by content once it is known what is left alone."""
        self._reader: Reader | None = None
        self._read: frozenset[str] = frozenset()
        self.staging = Beneath(root, STAGING, ours=True)
        """Where what comes back is put together, on the file system that it comes back to."""
        self._found = Comparison(())
        self._staged = Staging(self.tree, self._work, self.tell)
        self._wanted: dict[str, Entry] = {}
        self._folders: dict[str, Entry] = {}
        self._told: list[str] = []

    # Before anything live is touched

    def prepare(self) -> None:
        """Compare and stage. DamagedSnapshot or OSError leave the live tree as it was."""
        self.discard()
        job = comparison_job(self.root, self.cover, self.folder, self.tree)
        found = compare(job, lambda done: self.tell("comparing", done, 0), self.helpers)
        self._found = self._without_swap_files(found)
        by_content = msgspec.structs.replace(job, by_content=True)
        self._reader = self.begin_to_read(by_content)
        self._refuse_to_displace()
        self._read_wanted()
        if self.skip_damaged:
            self._leave_out_damaged()
        times = os.stat(self.root)
        self._staged.must_have_inodes(self.root, self._wanted)
        (self.staging / _WORK).make_folder()
        try:
            write_journal(self.staging, self.journal, "staging")
            self._staged.fill(self._found.of(MISSING, CHANGED), self._wanted, self.helpers)
            self._staged.give_projects(self.root)
            sync_file_system(self.staging.path)
        except (ValueError, OSError) as error:
            self.discard()
            with opened_root(self.root) as root:
                os.utime(root, ns=(times.st_atime_ns, times.st_mtime_ns))
            if isinstance(error, OSError) and error.errno == errno.ENOSPC:
                raise self._staged.too_little_room(self.root) from error
            raise

    def discard(self) -> None:
        """Remove what an earlier run staged."""
        remove_large_tree(STAGING, self.root, self.helpers)

    def _without_swap_files(self, found: Comparison) -> Comparison:
        """What the kernel swaps to now can be neither replaced nor removed: it stays."""
        in_use = {encoded_path(path) for path in swap_files_below(self.root)}
        if not in_use:
            return found
        left = [d for d in found.differences if d.path in in_use]
        self._told += [f"{self._above}/{d.path} is swapped to and stays as it is" for d in left]
        above = {p[:end] for p in in_use for end, c in enumerate(p) if c == "/"} | {""}
        kept = tuple(
            d
            for d in found.differences
            if d.path not in in_use and not (d.how == EXTRA and d.path in above)
        )
        return msgspec.structs.replace(found, differences=kept, held=found.held | above)

    def _leave_out_damaged(self) -> None:
        """Take what cannot come back out of what is to be done."""
        faults = self._faults_of_wanted()
        self.skipped = tuple(sorted(faults.items()))
        kept = tuple(d for d in self._found.differences if d.path not in faults)
        self._found = msgspec.structs.replace(self._found, differences=kept)
        self._wanted = {path: e for path, e in self._wanted.items() if path not in faults}

    def _faults_of_wanted(self) -> dict[str, str]:
        paths = {d.path for d in self._found.of(MISSING, CHANGED)}
        folders = {path.rpartition("/")[0] for path in paths}
        job = CheckJob(str(self.folder / "manifest.jsonl"), str(self.tree), alone=True)
        faults: dict[str, str] = {}
        for done in carry_out(job, sorted(folders), self.helpers):
            for fault in done.faults:
                path, _, words = fault[1:].partition(": ")
                if path in paths:
                    faults[path] = words
        return faults

    def _refuse_to_displace(self) -> None:
        for difference in self._found.of(CHANGED):
            if difference.live_type in (FOLDER, PLACE) and (
                difference.live_type == PLACE or difference.path in self._found.held
            ):
                words = "it holds what the snapshot does not cover, and would have to go"
                raise OSError(errno.EBUSY, words, f"/{difference.path}")

    def _read_wanted(self) -> None:
        """All entries that are needed, before the first change."""
        manifest = Manifest(self.folder / "manifest.jsonl")
        try:
            wanted = {d.path for d in self._found.of(MISSING, CHANGED, ATTRIBUTES)}
            self._wanted = manifest.entries_of(wanted)
            touched = {d.path.rpartition("/")[0] for d in self._found.differences} | {""}
            touched |= {path for path, entry in self._wanted.items() if entry.type == FOLDER}
            known = [folder for folder in touched if manifest.has_folder(folder)]
            self._folders = {folder: manifest.folder(folder) for folder in known}
        finally:
            manifest.close()

    # The live tree

    def add(self) -> None:
        """Swap in what is missing: nothing that stands is touched."""
        write_journal(self.staging, self.journal, "swapping")
        self._swap([top for top in self._staged.tops if top.how == MISSING], "adding")

    def replace(self) -> None:
        """Swap in what differs, but for the boot loader's files; then attributes."""
        self._swap([top for top in self._replaced() if not top.boots], "replacing")
        with opened_root(self.root) as root:
            for difference in self._found.of(ATTRIBUTES):
                entry = self._wanted[difference.path]
                if entry.type != FOLDER:
                    with opened_parent(root, decoded_path(entry.path)) as (parent, name):
                        _dress(entry, name, parent)

    def replace_boot(self) -> None:
        """Swap in the boot loader's files."""
        self._swap([top for top in self._replaced() if top.boots], "replacing")

    def _replaced(self) -> list[Top]:
        return [top for top in self._staged.tops if top.how == CHANGED]

    def remove(self) -> None:
        """Take away what came since, the boot loader's and the kernels' files last."""
        extra = self._found.of(EXTRA)
        gone_with = {top.entry.path for top in self._staged.tops if top.live_type == FOLDER}
        ordered = sorted(extra, key=lambda d: (belongs_to_boot(d.path), -depth(d.path)))
        with opened_root(self.root) as root:
            for number, difference in enumerate(ordered):
                if not is_below(difference.path, gone_with):
                    take_away(difference, root)
                if number % 200 == 0:
                    self.tell("removing", number, len(ordered))

    def settle(self) -> None:
        """Give folders their attributes again and files their flags; forget the journal.

        What was replaced goes meanwhile, the journal last.
        """
        with (
            opened_root(self.root) as root,
            ThreadPoolExecutor(1) as beside,
        ):
            settling = beside.submit(self._settle_all, root)
            # Helpers end with the thread that called them, so it is this one that removes.
            remove_large_tree(_WORK, self.staging.path, self.helpers)
            settling.result()
            sync_file_system(self.root)
            remove_tree(STAGING, root)
            _dress(self._folders[""], ".", root)
        sync_file_system(self.root)

    def _settle_all(self, root: int) -> None:
        for path in sorted(self._folders, key=depth, reverse=True):
            if path:
                with contextlib.suppress(FileNotFoundError, NotADirectoryError):
                    self._settle(self._folders[path], root)
        for entry in self._wanted.values():
            if entry.type == FILE and entry.flags:
                self._settle(entry, root)

    @staticmethod
    def _settle(entry: Entry, root: int) -> None:
        if entry.type == FOLDER:
            with (
                contextlib.suppress(PermissionError),
                opened(root, decoded_path(entry.path)) as folder,
            ):
                set_attributes_of(entry, folder)
                return
        with opened_parent(root, decoded_path(entry.path)) as (parent, name):
            _dress(entry, name, parent)

    def end_reading(self) -> None:
        """End what reads meanwhile, where anything does."""
        if self._reader is not None:
            self._read, self._reader = self._reader.end(), None

    def report(self, began: float) -> RestoreReport:
        """What it came to."""
        put_back = len(self._found.of(MISSING, CHANGED, ATTRIBUTES))
        removed = len(self._found.of(EXTRA))
        return RestoreReport(
            put_back,
            removed,
            self._staged.bytes_copied,
            time.monotonic() - began,
            told=self._sentences(),
            skipped=tuple(f"{self._above}/{path}" for path, _ in self.skipped),
            read={self.mount: self._read},
        )

    def _sentences(self) -> tuple[str, ...]:
        """What was left alone, and which names of a file no longer share its content."""
        above, since = self._above, self._found.apart.difference(self.apart)
        return (
            *(f"{above}/{path} could not come back: {fault}" for path, fault in self.skipped),
            *self._told,
            *(
                f"{above}/{path} is a mount or subvolume that came since: it was left alone"
                for path in sorted(since)[:_MOST_TOLD]
            ),
            *(
                f"{above}/{path} was one file with a name in what is left out: they are two now"
                for path in sorted(self._found.parted)[:_MOST_TOLD]
            ),
        )

    @property
    def _work(self) -> Path:
        return (self.staging / _WORK).path

    @property
    def _above(self) -> str:
        """What the part's paths begin with on the machine."""
        return self.mount.rstrip("/")

    def _swap(self, tops: list[Top], phase: str) -> None:
        with (
            opened_root(self.root) as root,
            opened_root(self._work) as work,
        ):
            tops = sorted(tops, key=lambda top: swap_order(top.entry.path))
            for number, top in enumerate(tops):
                self._put(top, root, work)
                if number % 200 == 0:
                    self.tell(phase, number, len(tops))

    @staticmethod
    def _put(top: Top, root: int, work: int) -> None:
        """One step. What stood there is exchanged, and goes with the staging folder at the end:
        letting go of its blocks here would hold every step up.
        """
        path = decoded_path(top.entry.path)
        with whole_path(path), opened_parent(root, path) as (parent, name):
            replaces = top.how == CHANGED
            unlocked(lambda: move_in(top.name, work, name, parent, replaces=replaces), name, parent)


def return_parts(parts: list[Restoration]) -> RestoreReport:
    """Return all parts of a system together: none is touched before all are staged."""
    with Crew() as crew:
        for part in parts:
            part.helpers = crew
        try:
            return _return(parts)
        finally:
            for part in parts:
                part.end_reading()


def _return(parts: list[Restoration]) -> RestoreReport:
    began = time.monotonic()
    try:
        for part in parts:
            part.prepare()
    except (ValueError, OSError):
        for part in parts:
            part.discard()
        raise
    for step in (
        Restoration.add,
        Restoration.replace,
        Restoration.replace_boot,
        Restoration.remove,
    ):
        for part in parts:
            step(part)
        for part in parts:
            sync_file_system(part.root)
    for part in parts:
        part.settle()
        part.end_reading()
    report = RestoreReport(0, 0, 0, 0.0)
    for part in parts:
        report += part.report(began)
    return report


def _dress(entry: Entry, name: str, parent: int) -> None:
    """Give a path all its attributes, opened up first where it is locked against changes."""
    unlocked(lambda: set_attributes(entry, name, parent), name, parent)
