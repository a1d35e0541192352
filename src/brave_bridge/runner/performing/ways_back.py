"""What scripts ask about ways back, done on a machine: take, check, return, expire, card."""

import time
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from itertools import islice

import msgspec

from brave_bridge.bootloaders.known import boot_loader, read_loader
from brave_bridge.core.boot.entries import entry_for
from brave_bridge.core.crossing.replies import (
    BootChecked,
    Compared,
    Done,
    Reply,
    Restored,
    SnapshotChecked,
    SnapshotsExpired,
    SnapshotTaken,
)
from brave_bridge.core.crossing.requests import (
    ArchiveSettings,
    CheckBoot,
    CheckSnapshot,
    CompareWithSnapshot,
    RestoreSnapshot,
    TakeSnapshot,
)
from brave_bridge.core.formats.kernel_path import MODULE_FOLDERS
from brave_bridge.core.formats.text import plain
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.ways_back.retention import later
from brave_bridge.families.registry import family_named, outline, survey
from brave_bridge.machines.port import Machine
from brave_bridge.runner.card_maker import keep_card
from brave_bridge.runner.expiry import expire
from brave_bridge.snapshots.beside import Beside
from brave_bridge.snapshots.description import About
from brave_bridge.snapshots.returning import BECAME
from brave_bridge.snapshots.settings_texts import archive_texts

Report = Callable[[float, str, str], None]
"""Called with percent done, a few words, and the name of the job if there is one."""

_NAMED_FAULTS = 20
_NAMED_SINCE = 200


def kernel_in_use(facts: Facts) -> str:
    """The kernel that runs; of a system that does not, the newest that is there."""
    if facts.boot.kernel:
        return facts.boot.kernel
    return facts.kernels[-1].version if facts.kernels else ""


def about(machine: Machine, facts: Facts, reason: str, leg: str = "", engine: str = "") -> About:
    """What a snapshot of a machine says of itself, taken for that reason."""
    kernel = kernel_in_use(facts)
    return About(
        release=facts.identity.name,
        reason=reason,
        leg=leg,
        kernel=kernel,
        boot_entry=entry_for(list(facts.loader.entries), kernel),
        engine=engine,
    )


class PerformingWaysBack:
    """Performs the requests about ways back of one machine."""

    def __init__(self, machine: Machine, family: str, beside: Beside) -> None:
        self.machine = machine
        self.family = family
        self.snapshots = beside.snapshots
        self.returning = beside.returning
        self.archives = beside.archives
        self._read: tuple[str, Mapping[str, frozenset[str]]] = ("", {})
        """Of which return, and what it has read meanwhile: its comparison goes on from there."""

    def take(self, request: TakeSnapshot, identifier: str, report: Report) -> Reply:
        """Take a snapshot, or find the one that was taken before a crash."""
        expected = self._expected()
        facts = outline(self.machine, self.family)
        snapshot = self.snapshots.take(
            identifier,
            about(self.machine, facts, request.reason, request.leg, request.engine),
            lambda entries, size: report(
                min(100 * entries / expected, 99) if expected else 0,
                f"{entries} paths, {size >> 20} MiB",
                "",
            ),
        )
        if request.days:
            ends = later(snapshot.created, request.days)
            because = request.ends_because
            keeping = self.snapshots.kept(snapshot.id).keeping
            keeping = msgspec.structs.replace(keeping, deadline=ends, deadline_reason=because)
            self.snapshots.keep(snapshot.id, keeping)
        return SnapshotTaken(snapshot.id, snapshot.engine, snapshot.entries, snapshot.bytes_copied)

    def _expected(self) -> int:
        known = self.snapshots.all()
        return known[-1].entries if known else 0

    def archive_settings(self, request: ArchiveSettings) -> Reply:
        """Archive the settings under the name of a way back."""
        facts = survey(self.machine, self.family)
        more = family_named(self.family).settings
        made = self.archives.settings(archive_texts(facts), request.way_back, "", more)
        return Done(f"{made.path}, {made.entries} paths")

    def check(self, request: CheckSnapshot, report: Report) -> Reply:
        """Read every file of a snapshot again."""
        snapshot = self.snapshots.kept(request.snapshot).snapshot
        total = max(snapshot.entries, 1)
        found = self.returning.check(
            snapshot,
            lambda entries, size: report(
                100 * entries / total, f"{entries} of {total} paths, {size >> 20} MiB read", ""
            ),
        )
        named = tuple(plain(fault) for fault in found.faults[:_NAMED_FAULTS])
        return SnapshotChecked(found.entries, found.bytes_read, named, len(found.faults))

    def restore(self, request: RestoreSnapshot, report: Report) -> Reply:
        """Return to a snapshot, or finish a return that was cut off."""
        if mounts := self._became(request.snapshot):
            return Restored(0, 0, 0, 0.0, restart_needed=True, used_up=(mounts,))
        snapshot = self.snapshots.find(request.snapshot, though_damaged=request.skip_damaged)

        began = time.time_ns() if self.machine.is_this_system else 0

        def tell(phase: str, done: int, total: int) -> None:
            of = f" of {total}" if total else ""
            report(100 * done / total if total else 0, f"{phase}: {done}{of} paths", "")

        done = self.returning.restore(snapshot, tell, skip_damaged=request.skip_damaged)
        self._read = (request.snapshot, done.read)
        return Restored(
            done.put_back,
            done.removed,
            done.bytes_copied,
            done.seconds,
            done.restart_needed,
            done.aside,
            done.used_up,
            tuple(plain(sentence) for sentence in done.told),
            done.skipped,
            began,
        )

    def _became(self, identifier: str) -> str:
        """The mounts that became a snapshot before a crash; empty where that is not so."""
        past = next((gone for gone in self.snapshots.gone() if gone.id == identifier), None)
        return past.why.removeprefix(BECAME) if past and past.why.startswith(BECAME) else ""

    def compare(self, request: CompareWithSnapshot, report: Report) -> Reply:
        """Hold the machine against a snapshot, every file read: some while it was put back."""
        of, read = self._read
        snapshot = self.snapshots.find(request.snapshot, though_damaged=bool(request.but_for))
        total = max(snapshot.entries, 1)
        found = self.returning.preview(
            snapshot,
            lambda done: report(min(100 * done / total, 100), f"{done} of {total} paths", ""),
            by_content=True,
            read=read if of == request.snapshot else None,
        )
        but_for = set(request.but_for)
        kept = tuple(d for d in found.differences if f"/{d.path}" not in but_for)
        found = msgspec.structs.replace(found, differences=kept)
        left = found.but_written_since(request.since_ns) if request.since_ns else found
        standing = {d.path for d in left.differences}
        since = (f"/{d.path}" for d in found.differences if d.path not in standing)
        return Compared(
            left.count,
            tuple(plain(example) for example in left.named()),
            tuple(plain(path) for path in islice(since, _NAMED_SINCE)),
        )

    def expire(self) -> Reply:
        """Delete what the rules let go."""
        moment = datetime.now(UTC).isoformat(timespec="seconds")
        went, stays = expire(self.machine, self.snapshots, moment)
        return SnapshotsExpired(
            tuple(f"{gone.id}: {gone.why}" for gone in went),
            tuple(f"{fate.id}: {fate.why}" for fate in stays),
        )

    def make_card(self) -> Reply:
        """Make the recovery card and keep it on the machine."""
        facts = outline(self.machine, self.family)
        path = keep_card(self.machine, facts, self.snapshots)
        return Done(f"{path}")

    def check_boot(self, request: CheckBoot) -> Reply:
        """Look whether what a snapshot says booted can boot again."""
        snapshot = self.snapshots.find(request.snapshot)
        kernel = snapshot.kernel
        if not kernel:
            return BootChecked("", "", ())
        faults = []
        if not self.machine.files.matching(f"/boot/vmlinu?-{kernel}"):
            faults.append(f"its kernel image /boot/vmlinuz-{kernel} is not there")
        has_modules = any(
            self.machine.files.matching(f"{folder}/{kernel}") for folder in MODULE_FOLDERS
        )
        others = any(self.machine.files.matching(f"{folder}/*") for folder in MODULE_FOLDERS)
        if others and not has_modules:
            faults.append(f"the modules of {kernel} are not there")
        loader = read_loader(self.machine)
        entry = entry_for(list(loader.entries), kernel)
        if loader.entries and not entry:
            faults.append(f"no entry of {boot_loader(loader).called} boots {kernel}")
        return BootChecked(kernel, entry, tuple(faults))
