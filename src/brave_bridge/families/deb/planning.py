"""Planning legs with the package manager's own simulation over an isolated state.

The isolated state has its own sources, indices and cache below a folder of ours, and for
every leg after the first a package database as the leg before will leave it. The
machine's own sources, indices and database are only read.
"""

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.requests import (
    CandidatesFound,
    ChangesExplained,
    ExplainChanges,
    Failed,
    FilesRead,
    FileText,
    FindCandidates,
    Ran,
    ReadFiles,
    Reply,
    Run,
    Script,
    WriteFiles,
)
from brave_bridge.core.formats.apt_output import (
    ChangeSummary,
    change_summary,
    fault_lines,
)
from brave_bridge.core.formats.apt_sources import (
    SourceEntry,
    SourceFile,
    index_stem,
    paused,
    renamed,
)
from brave_bridge.core.formats.apt_status_db import (
    Candidate,
    read_status,
)
from brave_bridge.core.packages.changes import (
    LegPlan,
)
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.vendor import is_third_party
from brave_bridge.families.deb.commands import DebFamily, apt_get
from brave_bridge.families.deb.leg_plan import (
    LegPlanComposer,
    LegState,
    SourceKey,
    all_entries,
    source_key,
    without_packages,
)
from brave_bridge.families.deb.predicted_database import database_afterwards
from brave_bridge.families.deb.survey import STATUS

_DATABASE_LIMIT = 200_000_000


class SimulationPlanner:
    """A planner that asks apt itself, leg by leg."""

    def plan(
        self, facts: Facts, legs: tuple[Leg, ...], folder: str
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        plans: list[LegPlan] = []
        state = LegState(facts.source_files, facts.packages, STATUS)
        for number, leg in enumerate(legs):
            work = _LegPlanning(facts, leg, state, f"{folder}/{number}")
            planned = yield from work.plan()
            if isinstance(planned, PlanFault):
                return planned
            plans.append(planned)
            if number + 1 < len(legs):
                following = yield from work.state_afterwards(planned)
                if isinstance(following, PlanFault):
                    return following
                state = following
        return tuple(plans)


def _fault(attempted: str, reply: Reply, remedy: str = "") -> PlanFault:
    if isinstance(reply, Failed):
        return PlanFault(f"{attempted}: {reply.attempted}", reply.seen, reply.remedy or remedy)
    output = reply.output if isinstance(reply, Ran) else ""
    seen = "; ".join(fault_lines(output)[-4:]) or output[-300:].strip() or "no answer"
    return PlanFault(attempted, seen, remedy)


class _LegPlanning:
    """The planning of one leg."""

    def __init__(self, facts: Facts, leg: Leg, state: LegState, folder: str) -> None:
        self.facts = facts
        self.leg = leg
        self.state = state
        self.folder = folder
        self.renaming = leg.renaming()
        self.reasons: dict[tuple[str, str], str] = {}
        self.candidates: dict[str, Candidate] = {}

    def plan(self) -> Script[LegPlan | PlanFault]:
        if self._turned(set()) == self.state.source_files:
            return PlanFault(
                f"turning the sources from {self.leg.start.title} to {self.leg.end.title}",
                f"no active source names {self.leg.start.suite or self.leg.start.codename}",
                f"write the sources of {self.leg.start.title} by its codename first",
            )
        fetched = yield from self._fetch()
        if isinstance(fetched, PlanFault):
            return fetched
        full = yield self._isolated(
            "Compute the whole change", "--verbose-versions", "--assume-no", "full-upgrade"
        )
        if not _is_plan(full):
            return _fault(
                f"computing {self.leg.title}", full, "apt-get -f install, then plan again"
            )
        gentle = yield self._isolated(
            "Compute what removes nothing", "--verbose-versions", "--assume-no", "upgrade"
        )
        summary = change_summary(full.output)
        fault = yield from self._learn_candidates(summary)
        if fault:
            return fault
        first = change_summary(gentle.output) if _is_plan(gentle) else ChangeSummary()
        proven = yield from self._prove(summary)
        composer = LegPlanComposer(
            self.facts, self.leg, self.state, self.candidates, self.reasons, proven
        )
        return composer.compose(fetched, summary, first)

    def _prove(self, summary: ChangeSummary) -> Script[dict[str, str]]:
        """The reasons that our own planner proves; none where it cannot plan this machine."""
        if not (summary.removed or summary.kept_back):
            return {}
        reply = yield ExplainChanges(
            title="Prove why packages go away or are kept back",
            lists=f"{self.folder}/lists",
            database=self.state.database,
            removed=tuple(row.name for row in summary.removed),
            kept_back=tuple(row.name for row in summary.kept_back),
        )
        return reply.reasons if isinstance(reply, ChangesExplained) else {}

    def _turned(self, lacking: set[SourceKey]) -> tuple[SourceFile, ...]:
        """The source files turned to the leg's end, those that lack it paused as they stand."""
        note = f"paused by Brave Bridge before {self.leg.end.title}: not there yet"
        return tuple(
            paused(
                renamed(file, self.renaming, lambda entry: source_key(entry) not in lacking),
                lambda entry: source_key(entry) in lacking,
                note,
            )
            for file in self.state.source_files
        )

    def _fetch(self) -> Script[tuple[SourceFile, ...] | PlanFault]:
        """Fetch the leg's indices; third-party sources that do not have it are paused."""
        paused_so_far: set[SourceKey] = set()
        for _ in range(2):
            files = self._turned(paused_so_far)
            lacking = yield from self._fetch_once(files)
            if isinstance(lacking, PlanFault):
                return lacking
            if not lacking:
                return files
            paused_so_far |= lacking
        return PlanFault(
            f"fetching the indices of {self.leg.end.title}",
            "sources fail that did not fail before",
            "plan again",
        )

    def _fetch_once(self, files: tuple[SourceFile, ...]) -> Script[set[SourceKey] | PlanFault]:
        reply = yield WriteFiles(
            title="Write the isolated sources", files=tuple(self._isolated_files(files))
        )
        if isinstance(reply, Failed):
            return _fault("preparing the isolated state", reply)
        attempted = f"fetching the indices of {self.leg.end.title}"
        ran = yield self._isolated(
            f"Fetch the indices of {self.leg.end.title}",
            "-o",
            "APT::Update::Error-Mode=any",
            "update",
        )
        if not isinstance(ran, Ran) or ran.lost:
            return _fault(attempted, ran)
        reply = yield ReadFiles(
            title="Check what the indices say they are",
            patterns=(f"{self.folder}/lists/*_InRelease", f"{self.folder}/lists/*_Release"),
            limit_bytes=4_000_000,
        )
        if not isinstance(reply, FilesRead):
            return _fault(attempted, reply)
        lacking, own = self._lacking(files, reply.files)
        if own or (not ran.ok and not lacking):
            return _fault(
                attempted, ran, "check the source, its key and the clock, then plan again"
            )
        if lacking:
            return lacking
        turned = without_packages(self.facts, self.leg, self.state, files, self.reasons)
        wrong = DebFamily().wrong_indices(turned, reply.files)
        return PlanFault(attempted, wrong, "check the sources") if wrong else lacking

    def _lacking(
        self, files: tuple[SourceFile, ...], descriptions: tuple[FileText, ...]
    ) -> tuple[set[SourceKey], bool]:
        """The sources whose suite was not fetched, and whether one is the distribution's own."""
        fetched = {file.path.rpartition("/")[2] for file in descriptions}
        lacking, own = set(), False
        for entry in all_entries(files):
            stems = [
                index_stem(uri, suite)
                for uri in entry.uris
                for suite in entry.suites
                if not suite.endswith("/")
            ]
            if all({stem + "InRelease", stem + "Release"} & fetched for stem in stems):
                continue
            before = self._entry_before(entry)
            foreign = is_third_party(
                before, self.leg.origin, self.leg.archive_paths, self.facts.archives
            )
            lacking.add(source_key(entry))
            own = own or not foreign
            self.reasons[source_key(entry)] = f"it does not have {self.leg.end.title} yet"
        return lacking, own

    def _entry_before(self, entry: SourceEntry) -> SourceEntry:
        """The entry as it stands before the leg: renaming keeps every line where it was."""
        for before in all_entries(self.state.source_files):
            if source_key(before) == source_key(entry):
                return before
        return entry

    def _isolated_files(self, files: tuple[SourceFile, ...]):
        for folder in ("lists/partial", "cache/archives/partial", "sources.list.d"):
            yield FileText(f"{self.folder}/{folder}/.keep", "")
        yield FileText(f"{self.folder}/sources.list", "")
        for file in files:
            yield FileText(self.folder + file.path.removeprefix("/etc/apt"), file.text)

    def _isolated(self, title: str, *words: str) -> Run:
        options = {
            "Dir::State::lists": f"{self.folder}/lists",
            "Dir::State::status": self.state.database,
            "Dir::Cache": f"{self.folder}/cache",
            "Dir::Etc::sourcelist": f"{self.folder}/sources.list",
            "Dir::Etc::sourceparts": f"{self.folder}/sources.list.d",
            "APT::Sandbox::User": "root",
            "Acquire::Languages": "none",
            "Debug::NoLocking": "1",
        }
        flags = [part for name, value in options.items() for part in ("-o", f"{name}={value}")]
        return apt_get(title, *flags, *words)

    def _learn_candidates(self, summary: ChangeSummary) -> Script[PlanFault | None]:
        changing = [row.name for row in summary.upgraded + summary.new + summary.kept_back]
        names = {package.name for package in self.state.packages if package.is_present}
        reply = yield FindCandidates(
            title="Read sizes and relations from the indices",
            lists=f"{self.folder}/lists",
            names=tuple(sorted(names.union(changing))),
        )
        if not isinstance(reply, CandidatesFound):
            return _fault("reading the indices", reply)
        self.candidates = {candidate.name: candidate for candidate in reply.candidates}
        return None

    def state_afterwards(self, plan: LegPlan) -> Script[LegState | PlanFault]:
        """The state that this leg will leave, its database written into the folder."""
        reply = yield ReadFiles(
            title="Read the package database",
            patterns=(self.state.database,),
            limit_bytes=_DATABASE_LIMIT,
        )
        if not isinstance(reply, FilesRead) or not reply.files:
            return _fault("reading the package database", reply)
        text = database_afterwards(
            reply.files[0].text, plan, self.candidates, where=self.state.database
        )
        path = f"{self.folder}/status-afterwards"
        written = yield WriteFiles(
            title="Write the package database as the leg will leave it",
            files=(FileText(path, text),),
        )
        if isinstance(written, Failed):
            return _fault("writing the predicted package database", written)
        return LegState(plan.source_files, tuple(read_status(text, where=path)), path)


def _is_plan(reply: Reply) -> bool:
    """apt-get answers 1 where a plan exists and was declined, 0 where nothing changes."""
    return (
        isinstance(reply, Ran)
        and not reply.lost
        and reply.exit_code in (0, 1)
        and ("E: " not in reply.output.replace("E: Trivial Only", ""))
    )
