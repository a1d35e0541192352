"""Performing requests on a machine: the one place where a script's requests are carried out.

Every deed can be performed twice: after a crash the request that was under way is
performed again, and looks first whether it took effect.
"""

import time
from collections.abc import Callable
from functools import singledispatchmethod

import msgspec

from brave_bridge.core.crossing.replies import (
    Begun,
    Done,
    FactsRead,
    Failed,
    FilesListed,
    FilesRead,
    FileText,
    Ran,
    Reply,
    Restarted,
    SettingsChecked,
    StopsSeen,
)
from brave_bridge.core.crossing.requests import (
    OBJECTS,
    ArchiveSettings,
    ArrangeGoingOn,
    ArrangeTrial,
    AskNewVersions,
    AwaitAnswer,
    AwaitJobs,
    AwaitRestart,
    Begin,
    CheckBoot,
    Checkpoint,
    CheckSettings,
    CheckSnapshot,
    CloseLeg,
    CompareWithSnapshot,
    EndTrial,
    ExpireSnapshots,
    FetchPackages,
    FetchSuites,
    GuardServices,
    KeepOpenLeg,
    KeepPast,
    LetPass,
    ListFiles,
    LookForStops,
    LookIntoInitrd,
    MakeCard,
    OfferPast,
    PlanPackages,
    ReadBundle,
    ReadFacts,
    ReadFiles,
    ReadMedium,
    RemoveFile,
    RemoveFolder,
    ReplaceFiles,
    Request,
    Restart,
    RestoreSnapshot,
    Run,
    SwapFiles,
    TakeSnapshot,
    UnguardServices,
    UseKey,
    WithdrawPast,
    WriteFiles,
)
from brave_bridge.core.formats.apt_output import status_line
from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.formats.progress import percent_in
from brave_bridge.core.formats.text import decoded, one_line, plain
from brave_bridge.families.family import Packages
from brave_bridge.families.registry import able, baseline, family_named, settings_told, survey
from brave_bridge.machines.jobs import JobState
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.secrets import with_credentials
from brave_bridge.runner import after_boot
from brave_bridge.runner.checking import ask_checks
from brave_bridge.runner.held_off import HeldOff
from brave_bridge.runner.login_notice import place_notice, take_notice_away
from brave_bridge.runner.open_legs import OPEN_LEG
from brave_bridge.runner.performing import past_systems
from brave_bridge.runner.performing.bundles import bundle_read
from brave_bridge.runner.performing.keys import KeyInHand
from brave_bridge.runner.performing.media import medium_read
from brave_bridge.runner.performing.restarting import boot_mark_of, has_restarted, restart
from brave_bridge.runner.performing.swapping import replace_files, swap_files
from brave_bridge.runner.performing.trials import arrange_trial, end_trial
from brave_bridge.runner.performing.waiting import await_answer, await_jobs, let_pass
from brave_bridge.runner.performing.ways_back import PerformingWaysBack, Report
from brave_bridge.snapshots.beside import Beside

OUTPUT_LIMIT = 4_000_000
"""Bytes of a command's output that go into its reply; the whole stays in the job's folder."""

MAX_STARTS = 10
"""How often a command that vanished is started again before the script is told."""

OBJECTS_SECONDS = 1.0
"""How often it is counted what a build has done."""

SILENT_SECONDS = 3.0
"""How long a command may report nothing until its newest output is told instead."""


class Performer:
    """Performs the requests of one procedure on one machine.

    ``identifier`` is unique to the procedure: jobs and snapshots are named after it.
    """

    def __init__(self, machine: Machine, family: str, beside: Beside, identifier: str) -> None:
        self.machine = machine
        self.family = family
        self.identifier = identifier
        self.beside = beside
        self.ways_back = PerformingWaysBack(machine, family, beside)
        self.key = KeyInHand(machine)
        self.poll_seconds = 0.05
        self.judge: Callable[[str], StopsSeen] | None = None
        """Surveys the machine for a way, where somebody above is able to."""
        self.held_off = HeldOff(f"{identifier} changes the system")

    def perform(self, seq: int, request: Request, report: Report) -> Reply:
        """Perform a request; what a machine refuses becomes a Failed reply."""
        try:
            return self._perform(request, seq, report)
        except MachineError as error:
            return Failed(error.attempted, plain(error.seen), error.remedy)

    @singledispatchmethod
    def _perform(self, request: Request, seq: int, report: Report) -> Reply:
        raise TypeError(f"nothing performs {type(request).__name__}")

    @_perform.register
    def _(self, request: Checkpoint, seq: int, report: Report) -> Reply:
        return Done(request.name)

    @_perform.register
    def _(self, request: ReadFacts, seq: int, report: Report) -> Reply:
        if request.whole:
            facts = baseline(self.machine, self.family, request.answered)
        else:
            facts = survey(self.machine, self.family)
        asked = ask_checks(self.machine, request.checks)
        topics = (*facts.topics, *asked)
        return FactsRead(msgspec.structs.replace(facts.for_records, topics=topics))

    @_perform.register
    def _(self, request: CheckSettings, seq: int, report: Report) -> Reply:
        told = settings_told(self.machine)
        return SettingsChecked(told.values, told.unanswered)

    @_perform.register
    def _(self, request: AskNewVersions, seq: int, report: Report) -> Reply:
        from brave_bridge.runner.performing.new_versions import ask_new_versions

        def run(command: Run) -> Reply:
            return self._perform(command, seq, report)

        return ask_new_versions(self.machine, self._packages(), request, run)

    @_perform.register
    def _(self, request: LookIntoInitrd, seq: int, report: Report) -> Reply:
        from brave_bridge.runner.performing.initrd import look_into_initrd

        return look_into_initrd(self.machine, request)

    @_perform.register
    def _(self, request: TakeSnapshot, seq: int, report: Report) -> Reply:
        return self.ways_back.take(request, f"{self.identifier}-{seq}", report)

    @_perform.register
    def _(self, request: ArchiveSettings, seq: int, report: Report) -> Reply:
        return self.ways_back.archive_settings(request)

    @_perform.register
    def _(self, request: CheckSnapshot, seq: int, report: Report) -> Reply:
        return self.ways_back.check(request, report)

    @_perform.register
    def _(self, request: ExpireSnapshots, seq: int, report: Report) -> Reply:
        return self.ways_back.expire()

    @_perform.register
    def _(self, request: MakeCard, seq: int, report: Report) -> Reply:
        return self.ways_back.make_card()

    @_perform.register
    def _(self, request: CheckBoot, seq: int, report: Report) -> Reply:
        return self.ways_back.check_boot(request)

    @_perform.register
    def _(self, request: ReadFiles, seq: int, report: Report) -> Reply:
        paths = sorted(
            {p for pattern in request.patterns for p in self.machine.files.matching(pattern)}
        )
        return FilesRead(
            tuple(
                FileText(path, hide(decoded(self.machine.files.read(path, request.limit_bytes))))
                for path in paths
                if self.machine.files.is_file(path)
            )
        )

    @_perform.register
    def _(self, request: WriteFiles, seq: int, report: Report) -> Reply:
        written = 0
        for file in request.files:
            content = with_credentials(self.machine, file.text).encode()
            if self._content(file.path) != content:
                self.machine.files.write(file.path, content)
                written += 1
        return Done(f"{written} of {len(request.files)} files written")

    def _content(self, path: str) -> bytes | None:
        try:
            return self.machine.files.read_if_there(path, 1 << 30)
        except MachineError:
            return None

    @_perform.register
    def _(self, request: SwapFiles, seq: int, report: Report) -> Reply:
        return swap_files(self.machine, request, f"{self.identifier}-{seq}")

    @_perform.register
    def _(self, request: KeepOpenLeg, seq: int, report: Report) -> Reply:
        OPEN_LEG.change(self.machine.state, lambda _: request.leg)
        place_notice(self.machine, request.leg)
        return Done(f"{request.leg.title}: {request.leg.at}")

    @_perform.register
    def _(self, request: CloseLeg, seq: int, report: Report) -> Reply:
        OPEN_LEG.remove(self.machine.state)
        take_notice_away(self.machine)
        return Done("no leg is under way")

    @_perform.register
    def _(self, request: ListFiles, seq: int, report: Report) -> Reply:
        found = self.machine.files.below(request.folder)
        return FilesListed(tuple(path for path in found if path.endswith(request.suffixes)))

    @_perform.register
    def _(self, request: FetchSuites, seq: int, report: Report) -> Reply:
        from brave_bridge.runner.performing.fetching import fetch_suites

        return fetch_suites(self.machine, self._packages(), self._keys(), request, report)

    @_perform.register
    def _(self, request: PlanPackages, seq: int, report: Report) -> Reply:
        from brave_bridge.runner.performing.planning import plan_legs

        return plan_legs(self.machine, self._packages(), request, report)

    @_perform.register
    def _(self, request: FetchPackages, seq: int, report: Report) -> Reply:
        from brave_bridge.runner.performing.fetching import fetch_packages

        return fetch_packages(self.machine, self._packages(), request)

    def _packages(self) -> Packages:
        return able(family_named(self.family).packages, self.family, "plan packages")

    def _keys(self) -> tuple[str, ...]:
        """The patterns of keys that hold for all sources."""
        sources = family_named(self.family).sources
        return sources.keys if sources else ()

    @_perform.register
    def _(self, request: GuardServices, seq: int, report: Report) -> Reply:
        guard = family_named(self.family).guard
        if guard is None:
            return Done("no script of a package starts services here")
        return guard.guard(self.machine, request.later)

    @_perform.register
    def _(self, request: UnguardServices, seq: int, report: Report) -> Reply:
        self.unguard()
        return Done("guard removed")

    def unguard(self) -> None:
        """Take the guard away, also when no script asks for it any more."""
        guard = family_named(self.family).guard
        if guard is not None:
            guard.unguard(self.machine)

    @_perform.register
    def _(self, request: RestoreSnapshot, seq: int, report: Report) -> Reply:
        return self.ways_back.restore(request, report)

    @_perform.register
    def _(self, request: CompareWithSnapshot, seq: int, report: Report) -> Reply:
        return self.ways_back.compare(request, report)

    @_perform.register
    def _(self, request: Restart, seq: int, report: Report) -> Reply:
        self.held_off.let_go()
        return restart(self.machine, request, f"{self.identifier}-{seq}", report)

    @_perform.register
    def _(self, request: AwaitRestart, seq: int, report: Report) -> Reply:
        mark = boot_mark_of(self.machine)
        if not has_restarted(request.boot_id, mark):
            return Failed("going on", "the machine has not restarted yet")
        return Restarted(mark, 0.0)

    def waits_for(self, request: Request) -> bool:
        """Whether a request is one to rest at until something happened that did not yet."""
        if not isinstance(request, AwaitRestart):
            return False
        return not has_restarted(request.boot_id, boot_mark_of(self.machine))

    @_perform.register
    def _(self, request: ArrangeGoingOn, seq: int, report: Report) -> Reply:
        return Done(after_boot.arrange(self.machine, self.identifier))

    @_perform.register
    def _(self, request: ArrangeTrial, seq: int, report: Report) -> Reply:
        return arrange_trial(self.machine, self.family, request)

    @_perform.register
    def _(self, request: EndTrial, seq: int, report: Report) -> Reply:
        return end_trial(self.machine, request, f"{self.identifier}-{seq}")

    @_perform.register
    def _(self, request: LookForStops, seq: int, report: Report) -> Reply:
        return self.judge(request.to) if self.judge else StopsSeen(())

    @_perform.register
    def _(self, request: OfferPast, seq: int, report: Report) -> Reply:
        return past_systems.offer_past(self.machine, self.family, self.beside, request)

    @_perform.register
    def _(self, request: WithdrawPast, seq: int, report: Report) -> Reply:
        return past_systems.withdraw_past(self.machine, self.beside, request.way_back)

    @_perform.register
    def _(self, request: KeepPast, seq: int, report: Report) -> Reply:
        return past_systems.keep_past(self.machine, self.beside)

    @_perform.register
    def _(self, request: ReadBundle, seq: int, report: Report) -> Reply:
        return bundle_read(self.machine, request)

    @_perform.register
    def _(self, request: ReadMedium, seq: int, report: Report) -> Reply:
        return medium_read(self.machine, request)

    @_perform.register
    def _(self, request: UseKey, seq: int, report: Report) -> Reply:
        return self.key.use(request, report)

    @_perform.register
    def _(self, request: AwaitAnswer, seq: int, report: Report) -> Reply:
        return await_answer(self.machine, request, min(self.poll_seconds * 20, 2.0), report)

    @_perform.register
    def _(self, request: LetPass, seq: int, report: Report) -> Reply:
        return let_pass(self.machine, request, self.poll_seconds, report)

    @_perform.register
    def _(self, request: AwaitJobs, seq: int, report: Report) -> Reply:
        return await_jobs(self.machine, request, self.poll_seconds, report)

    @_perform.register
    def _(self, request: Run, seq: int, report: Report) -> Reply:
        for start in range(MAX_STARTS if request.again else 1):
            name = f"{self.identifier}-{seq}" + (f"-{start + 1}" if start else "")
            if request.job and not start:
                name = request.job
            else:
                self._start(name, request)
            state = self._wait(name, request, report)
            if state.state == "ended":
                break
        output = hide(plain(decoded(self.machine.jobs.output_of(name, OUTPUT_LIMIT))))
        lost = state.state == "lost"
        return Ran(-1 if lost else (state.exit_code or 0), output, state.seconds, name, lost)

    def _start(self, name: str, run: Run) -> None:
        self.machine.jobs.start(name, run.argv, run.environment, run.first)

    @_perform.register
    def _(self, request: Begin, seq: int, report: Report) -> Reply:
        name = f"{self.identifier}-{seq}"
        self._start(name, request.run)
        return Begun(name)

    @_perform.register
    def _(self, request: ReplaceFiles, seq: int, report: Report) -> Reply:
        return replace_files(self.machine, request)

    @_perform.register
    def _(self, request: RemoveFile, seq: int, report: Report) -> Reply:
        self.machine.files.remove(request.path)
        return Done()

    @_perform.register
    def _(self, request: RemoveFolder, seq: int, report: Report) -> Reply:
        self.machine.files.remove_folder(request.folder)
        return Done()

    def _wait(self, name: str, request: Run, report: Report) -> JobState:
        last, pause, percent = "", 0.005, 0.0
        told_at, told = time.monotonic(), ""
        while True:
            state = self.machine.jobs.state_of(name)
            if state is None:
                raise MachineError(
                    f"starting {request.argv[0]}", self.machine.name, "its job was not claimed"
                )
            status = self.machine.jobs.last_status(name) if request.reports_progress else ""
            if request.measures == OBJECTS and request.amount:
                now = time.monotonic()
                if now - told_at > OBJECTS_SECONDS:
                    done = self.machine.jobs.lines_of(name)
                    percent, told_at = min(99.0, 100 * done / request.amount), now
                    report(percent, one_line(hide(self.machine.jobs.last_line(name))), name)
            elif status != last and (line := status_line(status)):
                percent, told_at = line.percent, time.monotonic()
                report(percent, one_line(line.text), name)
                last = status
            elif step := self._step_of(name, status, request):
                if step[1] != told:
                    percent, told, told_at = *step, time.monotonic()
                    report(percent, one_line(hide(told), 60), name)
            elif time.monotonic() - told_at > SILENT_SECONDS:
                # What the package manager said last is over: its scripts say what goes on now.
                told_at = time.monotonic()
                words = one_line(hide(self.machine.jobs.last_line(name)))
                if words and words != told:
                    report(percent, words, name)
                    told = words
            if state.state != "running":
                return state
            time.sleep(pause)
            pause = min(pause * 1.5, self.poll_seconds)

    def _step_of(self, name: str, status: str, request: Run) -> tuple[float, str] | None:
        """How far a command says it is that has no status descriptor, and at what."""
        if status or not request.reports_progress:
            return None
        return percent_in(self.machine.jobs.last_line(name))
