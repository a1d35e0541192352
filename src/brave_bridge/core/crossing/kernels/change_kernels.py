"""The script that adds kernels or takes them away: rehearsed, a way back made, read back."""

import msgspec

from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.core.crossing.ahead import PLACE, nothing_ahead
from brave_bridge.core.crossing.around_restart import AroundRestart
from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.kernels.boot_once import boot_once
from brave_bridge.core.crossing.replies import (
    FactsRead,
    Failed,
    PackagesFetched,
    Ran,
    SnapshotTaken,
)
from brave_bridge.core.crossing.requests import (
    Checkpoint,
    EndTrial,
    FetchPackages,
    GuardServices,
    ReadFacts,
    Run,
    Script,
    TakeSnapshot,
    WriteFiles,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import (
    ended_well,
    run_stage,
    titled,
    unguarded,
    warned,
    what_was_seen,
    why_it_failed,
)
from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.kernels.keeping import packages_of, why_it_must_stay
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.survey.facts import Facts

FETCHED = f"{PLACE}/kernels"
"""Where package files of another source stand until they are installed."""


class KernelChange(msgspec.Struct, frozen=True):
    """What is wanted: versions of kernels to take away, packages to add, each name and version.

    ``branch`` is where it was noted what a source has that the machine's own sources do not name
    (empty: they do); nothing else of it comes.
    """

    remove: tuple[str, ...] = ()
    add: tuple[tuple[str, str], ...] = ()
    branch: str = ""

    @property
    def words(self) -> str:
        """It in a few words."""
        parts = []
        if self.remove:
            parts.append(f"without kernel {', '.join(self.remove)}")
        if self.add:
            parts.append(f"with {', '.join(name for name, _ in self.add)}")
        return "; ".join(parts)


def change_kernels(family: CrossingFamily, wanted: KernelChange) -> Script[Outcome]:
    """Do exactly what is wanted to packages of kernels, and nothing else.

    Stopped, with nothing changed, where a kernel must stay or the package manager would do more.
    """
    return (yield from _Changing(family, wanted).carry_out())


def change_and_try(
    family: CrossingFamily, wanted: KernelChange, around: AroundRestart = AroundRestart()
) -> Script[Outcome]:
    """The same, and what came is tried at the next boot: kept once the machine is proven on it."""
    changing = _Changing(family, wanted)
    outcome = yield from changing.carry_out()
    if outcome.state != "done" or len(changing.came) != 1:
        return outcome
    tried = yield from boot_once(changing.came[0], around)
    return msgspec.structs.replace(
        tried, ways_back=outcome.ways_back, warnings=outcome.warnings[:1] + tried.warnings
    )


class _Changing:
    def __init__(self, family: CrossingFamily, wanted: KernelChange) -> None:
        self.family = family
        self.wanted = wanted
        self.way_back = ""
        self.files: tuple[str, ...] = ()
        self.came: tuple[str, ...] = ()

    def carry_out(self) -> Script[Outcome]:
        """The outcome; however it ends, nothing that was fetched for it stays."""
        outcome = yield from self._carry_out()
        if self.files:
            yield from nothing_ahead()
        return outcome

    def _carry_out(self) -> Script[Outcome]:
        yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
        reply = yield from ReadFacts(title="Read the kernels as they are")
        if not isinstance(reply, FactsRead):
            return self._stopped("ready", what_was_seen(reply))
        before = reply.facts
        for kernel in self.wanted.remove:
            others = [other for other in self.wanted.remove if other != kernel]
            why = why_it_must_stay(before, kernel, beside=others)
            if why:
                return self._stopped("ready", f"{kernel} stays: {why}")
        changes = _changes(before, self.wanted)
        why = yield from self._rehearsed(changes)
        if why:
            return self._stopped("rehearsal", why)
        taken = yield from TakeSnapshot(
            title="Take a snapshot before kernels change", reason=self.wanted.words, leg=""
        )
        if not isinstance(taken, SnapshotTaken):
            return self._stopped("way back", what_was_seen(taken))
        self.way_back = taken.id
        why = yield from self._carried_out(changes)
        if why:
            return self._failed("packages", why)
        return (yield from self._read_back(before))

    def _rehearsed(self, changes: PackageChanges) -> Script[str]:
        """Why the package manager would not do just that; empty where it would."""
        if self.wanted.branch:
            return (yield from self._rehearsed_with_files(changes))
        exact = self.family.exactly(changes)
        written = yield from WriteFiles(title="Write down what is wanted", files=exact.files)
        if isinstance(written, Failed):
            return what_was_seen(written)
        reply = yield from exact.rehearse
        if not isinstance(reply, Ran) or not reply.ok:
            return why_it_failed(self.family, reply)
        unlike = self.family.unlike(changes, reply.output)
        return f"more would change: {'; '.join(unlike[:4])}" if unlike else ""

    def _rehearsed_with_files(self, changes: PackageChanges) -> Script[str]:
        """The same, of package files that are fetched by us."""
        fetched = yield from FetchPackages(
            title="Fetch the kernel from the other source",
            lists=self.wanted.branch,
            packages=self.wanted.add,
            folder=FETCHED,
        )
        if not isinstance(fetched, PackagesFetched):
            return what_was_seen(fetched)
        self.files = fetched.paths
        reply = yield from self.family.install_files(self.files, rehearse=True)
        if not isinstance(reply, Ran) or not reply.ok:
            return why_it_failed(self.family, reply)
        unlike = self.family.unlike(changes, reply.output)
        return f"more would change: {'; '.join(unlike[:4])}" if unlike else ""

    def _carried_out(self, changes: PackageChanges) -> Script[str]:
        exact = self.family.exactly(changes)
        commands = [stage.command for stage in (exact.stage_one, exact.stage_two) if stage]
        if self.files:
            commands = [self.family.install_files(self.files, rehearse=False)]
        elif changes.arriving:
            reply = yield from titled(exact.download, "Fetch the kernel")
            if not ended_well(reply):
                return why_it_failed(self.family, reply)
        guarded = yield from GuardServices(title="Keep package scripts from starting services")
        if isinstance(guarded, Failed):
            return what_was_seen(guarded)
        why = ""
        for command in commands:
            why = why or (yield from self._stage(command))
        cleared = self.family.clear_away([change.name for change in changes.removed])
        if cleared is not None and not why:
            reply = yield from cleared
            why = "" if ended_well(reply) else why_it_failed(self.family, reply)
        told = yield from unguarded()
        return why or "; ".join(told)

    def _stage(self, command: Run) -> Script[str]:
        return (yield from run_stage(self.family, "kernels", "change just these packages", command))

    def _read_back(self, before: Facts) -> Script[Outcome]:
        reply = yield from ReadFacts(title="Look what is there to boot now")
        if not isinstance(reply, FactsRead):
            return self._failed("reading back", what_was_seen(reply))
        after = reply.facts
        here = {kernel.version for kernel in after.kernels}
        self.came = tuple(sorted(here - {kernel.version for kernel in before.kernels}))
        if left := [kernel for kernel in self.wanted.remove if kernel in here]:
            return self._failed("reading back", f"{', '.join(left)} is still in /boot")
        if faults := new_boot_faults(before, after):
            return self._failed("boot menu", faults)
        kept = yield from default_kept(before, after)
        return Outcome(
            state="done",
            ways_back=(self.way_back,),
            warnings=(*kept, *_told(before, after)),
        )

    def _stopped(self, at: str, why: str) -> Outcome:
        return Outcome(state="stopped", at=at, why=why, safe="no package was changed")

    def _failed(self, at: str, why: str) -> Outcome:
        return Outcome(
            state="failed",
            at=at,
            why=why,
            safe=f"what runs was not touched; {self.way_back} has all of before",
            next_step=f"look at the output in the logbook, or brave-bridge return {self.way_back}",
            ways_back=(self.way_back,),
        )


def new_boot_faults(before: Facts, after: Facts) -> str:
    """What does not fit in the boot menu that did before; empty where all does."""
    known = {fault.words for fault in before.loader.faults}
    new = [fault.words for fault in after.loader.faults if fault.words not in known]
    return "; ".join(new[:3])


def default_kept(before: Facts, after: Facts) -> Script[tuple[str, ...]]:
    """Have what booted before boot on: a menu takes the newest kernel by itself."""
    was, will_be = next_entry(before.loader), next_entry(after.loader)
    if was is None or will_be is None or was.kernel == will_be.kernel:
        return ()
    return (
        yield from warned(
            EndTrial(title=f"Keep {was.kernel} the default", kernel=was.kernel),
            f"the next boot takes {will_be.kernel}: {was.kernel} could not be kept the default",
        )
    )


def _changes(facts: Facts, wanted: KernelChange) -> PackageChanges:
    """It as a list of changes to packages."""
    going = [
        PackageChange(package.name, package.version, "", "it was asked for")
        for kernel in wanted.remove
        for package in packages_of(facts, kernel)
    ]
    coming = [
        PackageChange(name, "", version, "it was asked for", by_hand=True)
        for name, version in wanted.add
    ]
    return PackageChanges(new=tuple(coming), removed=tuple(going))


def _told(before: Facts, after: Facts):
    """What a person has to know: room gained or taken, and what cannot be started yet."""
    old, new = before.room_at("/boot"), after.room_at("/boot")
    if old and new and (gained := new.free_bytes - old.free_bytes):
        words = "more" if gained > 0 else "less"
        free = f"{byte_size(new.free_bytes)} free"
        yield f"{byte_size(abs(gained))} {words} room on {new.path}: {free}"
    came = {k.version for k in after.kernels} - {k.version for k in before.kernels}
    for version in sorted(came):
        if any(entry.kernel == version for entry in after.loader.entries):
            yield f"kernel {version} is there; try it: brave-bridge boot-once {version}"
        else:
            yield f"kernel {version} is there, and no entry of the boot menu starts it"
