"""Planning legs with the package manager's own simulation over an isolated state.

The isolated state has its own sources, indices and cache below a folder of ours, and for
every leg after the first a package database as the leg before will leave it. The
machine's own sources, indices and database are only read.
"""

import msgspec

from brave_bridge.core.crossing.requests import (
    CandidatesFound,
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
    SummaryRow,
    change_summary,
    fault_lines,
)
from brave_bridge.core.formats.apt_sources import (
    SourceEntry,
    SourceFile,
    entries,
    index_stem,
    paused,
    renamed,
)
from brave_bridge.core.formats.apt_status_db import (
    Candidate,
    InstalledPackage,
    read_status,
    relation_names,
)
from brave_bridge.core.formats.deb822 import stanza_text, stanzas
from brave_bridge.core.packages.changes import (
    ConfigQuestion,
    LegPlan,
    PackageChange,
    SourceOutcome,
)
from brave_bridge.core.packages.planner import PlanFault
from brave_bridge.core.packages.reasons import Relations
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.vendor import is_third_party
from brave_bridge.core.versions.deb import upstream_major
from brave_bridge.families.deb.commands import DebFamily, apt_get
from brave_bridge.families.deb.survey import STATUS

_DATABASE_LIMIT = 200_000_000
_INDEX_ONLY_FIELDS = ("Filename", "Size", "MD5sum", "SHA1", "SHA256", "Description-md5")


class SimulationPlanner:
    """A planner that asks apt itself, leg by leg."""

    def plan(
        self, facts: Facts, legs: tuple[Leg, ...], folder: str
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        plans: list[LegPlan] = []
        state = _State(facts.source_files, facts.packages, STATUS)
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


class _State(msgspec.Struct, frozen=True):
    """Where a leg starts: sources, packages, and the database file that holds them."""

    source_files: tuple[SourceFile, ...]
    packages: tuple[InstalledPackage, ...]
    database: str


def _fault(attempted: str, reply: Reply, remedy: str = "") -> PlanFault:
    if isinstance(reply, Failed):
        return PlanFault(f"{attempted}: {reply.attempted}", reply.seen, reply.remedy or remedy)
    output = reply.output if isinstance(reply, Ran) else ""
    seen = "; ".join(fault_lines(output)[-4:]) or output[-300:].strip() or "no answer"
    return PlanFault(attempted, seen, remedy)


class _LegPlanning:
    """The planning of one leg."""

    def __init__(self, facts: Facts, leg: Leg, state: _State, folder: str) -> None:
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
        return self._composed(fetched, summary, first)

    def _turned(self, lacking: set[tuple[str, int]]) -> tuple[SourceFile, ...]:
        """The source files turned to the leg's end, those that lack it paused as they stand."""
        note = f"paused by Brave Bridge before {self.leg.end.title}: not there yet"
        return tuple(
            paused(
                renamed(file, self.renaming, lambda entry: _key(entry) not in lacking),
                lambda entry: _key(entry) in lacking,
                note,
            )
            for file in self.state.source_files
        )

    def _fetch(self) -> Script[tuple[SourceFile, ...] | PlanFault]:
        """Fetch the leg's indices; third-party sources that do not have it are paused."""
        paused_so_far: set[tuple[str, int]] = set()
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

    def _fetch_once(
        self, files: tuple[SourceFile, ...]
    ) -> Script[set[tuple[str, int]] | PlanFault]:
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
        wrong = (
            DebFamily().wrong_indices(self._with_sources(files), reply.files) if not lacking else ""
        )
        return PlanFault(attempted, wrong, "check the sources") if wrong else lacking

    def _lacking(
        self, files: tuple[SourceFile, ...], descriptions: tuple[FileText, ...]
    ) -> tuple[set[tuple[str, int]], bool]:
        """The sources whose suite was not fetched, and whether one is the distribution's own."""
        fetched = {file.path.rpartition("/")[2] for file in descriptions}
        lacking, own = set(), False
        for entry in self._entries(files):
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
            lacking.add(_key(entry))
            own = own or not foreign
            self.reasons[_key(entry)] = f"it does not have {self.leg.end.title} yet"
        return lacking, own

    @staticmethod
    def _entries(files: tuple[SourceFile, ...]) -> list[SourceEntry]:
        return [entry for file in files for entry in entries(file)]

    def _entry_before(self, entry: SourceEntry) -> SourceEntry:
        """The entry as it stands before the leg: renaming keeps every line where it was."""
        for before in self._entries(self.state.source_files):
            if _key(before) == _key(entry):
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

    def _with_sources(self, files: tuple[SourceFile, ...]) -> LegPlan:
        return LegPlan(
            leg=self.leg, upgraded=(), new=(), removed=(), kept_back=(), first_stage=(),
            download_bytes=0, disk_bytes=0, questions=(), obsolete=(),
            sources=tuple(self._source_outcomes(files)), source_files=files,
            sources_before=self.state.source_files, made_at=self.facts.taken_at,
        )  # fmt: skip

    def _composed(
        self, files: tuple[SourceFile, ...], summary: ChangeSummary, first: ChangeSummary
    ) -> LegPlan:
        installed = {package.name: package for package in self.state.packages}
        gone = {
            p.name: self.leg.end.title for p in self.state.packages if p.name not in self.candidates
        }
        relations = Relations(
            self.candidates[row.name.partition(":")[0]]
            for row in summary.upgraded + summary.new
            if row.name.partition(":")[0] in self.candidates
        )
        upgraded = tuple(
            self._change(row, installed, f"newer in {self.leg.end.codename}")
            for row in summary.upgraded
        )
        new = tuple(
            self._change(row, installed, self._why_new(relations, row.name)) for row in summary.new
        )
        removed = tuple(
            self._change(row, installed, self._why_removed(relations, row.name, gone))
            for row in summary.removed
        )
        kept = tuple(
            self._change(
                row,
                installed,
                relations.why_kept(row.name, row.name in installed and installed[row.name].is_held),
            )
            for row in summary.kept_back
        )
        changing = {change.name for change in upgraded + removed}
        removed_names = {change.name for change in removed}
        return msgspec.structs.replace(
            self._with_sources(files),
            upgraded=upgraded,
            new=new,
            removed=removed,
            kept_back=kept,
            first_stage=tuple(row.name for row in first.upgraded),
            download_bytes=sum(change.download_bytes for change in upgraded + new),
            disk_bytes=sum(change.disk_bytes for change in upgraded + new + removed),
            questions=tuple(
                ConfigQuestion(config.path, config.package, config.managed_by)
                for config in self.facts.changed_configs
                if config.package in changing and not config.is_gone
            ),
            obsolete=tuple(
                sorted(
                    p.name
                    for p in self.state.packages
                    if p.is_present and p.name in gone and p.name not in removed_names
                )
            ),
        )

    def _change(
        self, row: SummaryRow, installed: dict[str, InstalledPackage], reason: str
    ) -> PackageChange:
        name = row.name.partition(":")[0]
        present, coming = installed.get(name), self.candidates.get(name)
        arrives = bool(row.new) and coming is not None
        size_before = present.installed_kib if present and present.is_present else 0
        size_after = coming.installed_kib if arrives else 0
        return PackageChange(
            name=row.name,
            old=row.old,
            new=row.new,
            reason=reason,
            download_bytes=coming.download_bytes if arrives else 0,
            disk_bytes=(size_after - size_before) * 1024,
            section=(coming or present).section if (coming or present) else "",
            major=bool(row.old and row.new)
            and name in self.facts.tools
            and upstream_major(row.old) != upstream_major(row.new),
        )

    def _why_new(self, relations: Relations, name: str) -> str:
        candidate = self.candidates.get(name.partition(":")[0])
        provided = relation_names(candidate.relations.get("Provides", "")) if candidate else []
        return relations.why_new(name, provided)

    def _why_removed(self, relations: Relations, name: str, gone: dict[str, str]) -> str:
        present = next((p for p in self.state.packages if p.name == name), None)
        needs = relation_names(present.depends) if present else []
        return relations.why_removed(name, needs, gone)

    def _source_outcomes(self, files: tuple[SourceFile, ...]):
        after = {_key(entry): entry for entry in self._entries(files)}
        for entry in self._entries(self.state.source_files):
            now = after.get(_key(entry))
            for number, suite in enumerate(entry.suites):
                uri = entry.uris[0]
                if now is None:
                    yield SourceOutcome(
                        entry.path,
                        entry.line,
                        uri,
                        suite,
                        "",
                        "paused",
                        self.reasons.get(_key(entry), ""),
                    )
                elif now.suites[number] == suite:
                    yield SourceOutcome(
                        entry.path,
                        entry.line,
                        uri,
                        suite,
                        suite,
                        "unchanged",
                        "it does not name the release",
                    )
                else:
                    yield SourceOutcome(
                        entry.path,
                        entry.line,
                        uri,
                        suite,
                        now.suites[number],
                        "renamed",
                        f"has {self.leg.end.title}",
                    )

    def state_afterwards(self, plan: LegPlan) -> Script[_State | PlanFault]:
        """The state that this leg will leave, its database written into the folder."""
        reply = yield ReadFiles(
            title="Read the package database",
            patterns=(self.state.database,),
            limit_bytes=_DATABASE_LIMIT,
        )
        if not isinstance(reply, FilesRead) or not reply.files:
            return _fault("reading the package database", reply)
        text = self._database_afterwards(reply.files[0].text, plan)
        path = f"{self.folder}/status-afterwards"
        written = yield WriteFiles(
            title="Write the package database as the leg will leave it",
            files=(FileText(path, text),),
        )
        if isinstance(written, Failed):
            return _fault("writing the predicted package database", written)
        return _State(plan.source_files, tuple(read_status(text, where=path)), path)

    def _database_afterwards(self, text: str, plan: LegPlan) -> str:
        removed = {change.name for change in plan.removed}
        arriving = {change.name.partition(":")[0] for change in plan.upgraded + plan.new}
        pieces = []
        for fields in stanzas(text, where=self.state.database):
            name = fields.get("Package", "")
            if name in removed or name in arriving:
                if name in arriving:
                    pieces.append(self._arrived(name, fields.get("Conffiles", "")))
                    arriving.discard(name)
                continue
            pieces.append(stanza_text(fields))
        pieces += [self._arrived(name, "") for name in sorted(arriving)]
        return "\n".join(piece for piece in pieces if piece)

    def _arrived(self, name: str, conffiles: str) -> str:
        """The database's stanza of a package that the leg installs."""
        candidate = self.candidates.get(name)
        if candidate is None:
            return ""
        fields = next(stanzas(candidate.stanza, where=name))
        kept = {key: value for key, value in fields.items() if key not in _INDEX_ONLY_FIELDS}
        kept["Status"] = "install ok installed"
        if conffiles:
            kept["Conffiles"] = conffiles
        return stanza_text(kept)


def _key(entry: SourceEntry) -> tuple[str, int]:
    return entry.path, entry.line


def _is_plan(reply: Reply) -> bool:
    """apt-get answers 1 where a plan exists and was declined, 0 where nothing changes."""
    return (
        isinstance(reply, Ran)
        and not reply.lost
        and reply.exit_code in (0, 1)
        and ("E: " not in reply.output.replace("E: Trivial Only", ""))
    )
