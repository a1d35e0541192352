"""Planning legs over an isolated state, by our own planner.

The isolated state has its own sources, indices and cache below a folder of ours. The
machine's own sources, indices and database are only read. Every leg after the first is
planned on the packages that the leg before leaves.
"""

from collections.abc import Iterator

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.requests import (
    Failed,
    FetchSuites,
    LegIndices,
    PackagesPlanned,
    PlanPackages,
    Reply,
    Script,
    SuitesFetched,
)
from brave_bridge.core.formats.apt_sources import (
    SourceEntry,
    SourceFile,
    paused,
    renamed,
)
from brave_bridge.core.packages.changes import LegPlan
from brave_bridge.core.packages.levels import PersonsWishes
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.vendor import is_third_party
from brave_bridge.families.deb.leg_plan import (
    SourceKey,
    all_entries,
    source_key,
    sources_only,
    with_packages,
)
from brave_bridge.families.deb.places import STATUS
from brave_bridge.families.deb.suites import suites_of


class DebPlanner:
    """The planner of deb machines."""

    def plan(
        self, facts: Facts, legs: tuple[Leg, ...], folder: str,
        wishes: PersonsWishes = PersonsWishes(),
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:  # fmt: skip
        """See Planner."""
        turned: list[LegPlan] = []
        files = facts.source_files
        for number, leg in enumerate(legs):
            fetched = yield from _LegSources(facts, leg, files, f"{folder}/{number}").fetch()
            if isinstance(fetched, PlanFault):
                return fetched
            turned.append(fetched)
            files = fetched.source_files
        return (yield from self.again(facts, tuple(turned), folder, wishes))

    def again(
        self, facts: Facts, plans: tuple[LegPlan, ...], folder: str, wishes: PersonsWishes
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        reply = yield PlanPackages(
            title="Plan every package",
            database=STATUS,
            legs=tuple(
                LegIndices(f"{folder}/{number}/lists", plan.leg.end.codename or plan.leg.end.title)
                for number, plan in enumerate(plans)
            ),
            wishes=wishes,
            configured=tuple(sorted({config.package for config in facts.changed_configs})),
        )
        if not isinstance(reply, PackagesPlanned):
            title = f"planning {plans[0].leg.start.title} to {plans[-1].leg.end.title}"
            return _fault(title, reply, "apt-get -f install, then plan again")
        return tuple(
            with_packages(facts, plan, changes, wishes)
            for plan, changes in zip(plans, reply.legs, strict=True)
        )


def _fault(attempted: str, reply: Reply, remedy: str = "") -> PlanFault:
    if isinstance(reply, Failed):
        return PlanFault(f"{attempted}: {reply.attempted}", reply.seen, reply.remedy or remedy)
    return PlanFault(attempted, "no answer", remedy)


class _LegSources:
    """The sources of one leg: turned, fetched apart from the machine's own, and looked at."""

    def __init__(self, facts: Facts, leg: Leg, before: tuple[SourceFile, ...], folder: str) -> None:
        self.facts = facts
        self.leg = leg
        self.before = before
        self.folder = folder
        self.renaming = leg.renaming()
        self.reasons: dict[SourceKey, str] = {}
        self.signers: dict[tuple[str, str], tuple[str, ...]] = {}

    def fetch(self) -> Script[LegPlan | PlanFault]:
        """The leg's plan as far as the sources go; third parties that lack it are paused."""
        if self._turned(set()) == self.before:
            return PlanFault(
                f"turning the sources from {self.leg.start.title} to {self.leg.end.title}",
                f"no active source names {self.leg.start.suite or self.leg.start.codename}",
                f"write the sources of {self.leg.start.title} by its codename first",
            )
        files = yield from self._fetch()
        if isinstance(files, PlanFault):
            return files
        return sources_only(self.facts, self.leg, self.before, files, self.reasons, self.signers)

    def _turned(self, lacking: set[SourceKey]) -> tuple[SourceFile, ...]:
        """The source files turned to the leg's end, those that lack it paused as they stand."""
        note = f"paused by Brave Bridge before {self.leg.end.title}: not there yet"
        return tuple(
            paused(
                renamed(file, self.renaming, lambda entry: source_key(entry) not in lacking),
                lambda entry: source_key(entry) in lacking,
                note,
            )
            for file in self.before
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
        title = self.leg.end.title
        active = all_entries(files)
        reply = yield FetchSuites(
            title=f"Fetch the indices of {title}",
            folder=f"{self.folder}/lists",
            suites=tuple(suites_of(active)),
        )
        if not isinstance(reply, SuitesFetched):
            return _fault(f"fetching the indices of {title}", reply)
        self.signers |= {(found.uri, found.suite): found.signers for found in reply.suites}
        faults = {(found.uri, found.suite): found for found in reply.suites if found.fault}
        lacking: set[SourceKey] = set()
        for entry in active:
            found = next((faults[at] for at in _places(entry) if at in faults), None)
            if found is None:
                continue
            if not self._is_foreign(entry):
                remedy = "check the source, its key and the clock, then plan again"
                return PlanFault(f"fetching the indices of {title}", found.fault, remedy)
            lacking.add(source_key(entry))
            why = f"it does not have {title} yet" if found.missing else found.fault
            self.reasons[source_key(entry)] = why
        return lacking

    def _is_foreign(self, entry: SourceEntry) -> bool:
        """Whether a source is not the distribution's own."""
        return is_third_party(
            self._entry_before(entry), self.leg.origin, self.leg.archive_paths, self.facts.archives
        )

    def _entry_before(self, entry: SourceEntry) -> SourceEntry:
        """The entry as it stands before the leg: renaming keeps every line where it was."""
        for before in all_entries(self.before):
            if source_key(before) == source_key(entry):
                return before
        return entry


def _places(entry: SourceEntry) -> Iterator[tuple[str, str]]:
    return ((uri, suite) for uri in entry.uris for suite in entry.suites)
