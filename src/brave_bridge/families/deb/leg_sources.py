"""The sources of one leg: turned to its end, fetched apart from the machine's own, asked about.

The distribution's own sources must have the leg's end. One of a third party goes along where
it has it; where it does not, the person may have it wait, keep what it has for the old
release, take another suite of it, or do without it.
"""

from collections.abc import Iterator

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.replies import Failed, Reply, SuiteFound, SuitesFetched
from brave_bridge.core.crossing.requests import FetchSuites, Script
from brave_bridge.core.formats.apt_sources import (
    Renaming,
    SourceEntry,
    SourceFile,
    can_be_fetched,
    renamed,
)
from brave_bridge.core.formats.paused_sources import commented_out, waiting_note
from brave_bridge.core.packages.choices import DROP, KEEP, PAUSE, PlanChoice, suite_in
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.vendor import is_third_party
from brave_bridge.families.deb.leg_plan import (
    SourceEnd,
    SourceKey,
    all_entries,
    source_key,
    sources_only,
)
from brave_bridge.families.deb.source_choices import (
    channel_choices,
    other_suites,
    source_choice,
    source_name,
)
from brave_bridge.families.deb.suites import description_of, suites_of

_MOST_ROUNDS = 4
_YOU_DECIDED = "you decided so"


class LegSources:
    """The sources of one leg, as they are before it, and what becomes of them."""

    def __init__(
        self,
        facts: Facts,
        leg: Leg,
        before: tuple[SourceFile, ...],
        folder: str,
        preferences: Preferences,
    ) -> None:
        self.facts = facts
        self.leg = leg
        self.before = before
        self.folder = folder
        self.preferences = preferences
        self.renaming = leg.renaming()
        self.entries = {source_key(entry): entry for entry in all_entries(before)}
        self.answers: dict[SourceKey, str] = {}
        """The answers about the sources of third parties; empty where nobody decided."""
        self.waiting: dict[SourceKey, str] = {}
        """The sources that are paused, and why."""
        self.found: dict[tuple[str, str], SuiteFound] = {}
        for entry in self.entries.values():
            if self._is_foreign(entry) and self._is_concerned(entry):
                self._take_as_foreign(entry)

    def _is_foreign(self, entry: SourceEntry) -> bool:
        """Whether a source is not the distribution's own, or cannot be read here at all."""
        leg = self.leg
        foreign = is_third_party(entry, leg.origin, leg.archive_paths, self.facts.archives)
        return foreign or not all(map(can_be_fetched, entry.uris))

    def _is_concerned(self, entry: SourceEntry) -> bool:
        """Whether it has to be asked about: a product's leg leaves alone what it does not turn."""
        turned = self.renaming
        return self.leg.product is None or any(
            turned.suites(suite) != suite or turned.uris(uri) != uri
            for suite in entry.suites
            for uri in entry.uris
        )

    def _take_as_foreign(self, entry: SourceEntry) -> None:
        key, answer = source_key(entry), self.preferences.sources.get(source_name(entry), "")
        self.answers[key] = answer
        if answer == PAUSE:
            self.waiting[key] = _YOU_DECIDED

    def fetch(self) -> Script[LegPlan | PlanFault]:
        """The leg's plan as far as the sources go; third parties that lack it are paused."""
        if all(renamed(file, self.renaming, lambda entry: True) == file for file in self.before):
            return PlanFault(
                f"turning the sources from {self.leg.start.title} to {self.leg.end.title}",
                f"no active source names {self.leg.start.suite or self.leg.start.codename}",
                f"write the sources of {self.leg.start.title} by its codename first",
            )
        if fault := self._lacks_main():
            return fault
        files = yield from self._fetch()
        if isinstance(files, PlanFault):
            return files
        yield from self._look_for_other_suites()
        return sources_only(
            self.facts,
            self.leg,
            self.before,
            files,
            dict(self._ends()),
            {at: found.signers for at, found in self.found.items()},
            (*self._source_choices(), *channel_choices(self.leg, self.before, self.preferences)),
        )

    def _lacks_main(self) -> PlanFault | None:
        """Why nothing would come: the main archive of the leg's start is no source."""
        if self.leg.product is not None:
            return None
        main = self.leg.start.suite or self.leg.start.codename
        # Of archives that were never read nobody knows yet whose they are.
        candidates = self._own_entries() or [
            entry for entry in self.entries.values() if all(map(can_be_fetched, entry.uris))
        ]
        own = {suite for entry in candidates for suite in entry.suites}
        if main not in own:
            return PlanFault(
                f"turning the sources from {self.leg.start.title} to {self.leg.end.title}",
                f"no active source of the distribution has {main} itself, only "
                f"{', '.join(sorted(own)) or 'those of third parties'}",
                f"add the main archive of {self.leg.start.title}: without it hardly anything "
                "would be upgraded",
            )
        return None

    # Turning them

    def _turned(self) -> tuple[SourceFile, ...]:
        """The source files turned to the leg's end, those that wait or go as they stand."""
        return tuple(map(self._turned_file, self.before))

    def _turned_file(self, file: SourceFile) -> SourceFile:
        dropped = self._answered(DROP)
        stay = self.waiting.keys() | dropped | self._answered(KEEP)
        for key, answer in self.answers.items():
            suite = suite_in(answer)
            if suite and key not in stay:
                stay |= {key}
                turning = Renaming(suites=lambda word, suite=suite: suite)
                file = renamed(file, turning, lambda entry, key=key: source_key(entry) == key)
        file = renamed(file, self.renaming, lambda entry: source_key(entry) not in stay)
        file = renamed(file, self._channels, lambda entry: source_key(entry) not in self.answers)
        end = self.leg.end.title
        waits = waiting_note(end)
        file = commented_out(file, lambda entry: source_key(entry) in self.waiting, waits)
        gone = f"dropped by Brave Bridge before {end}"
        return commented_out(file, lambda entry: source_key(entry) in dropped, gone)

    @property
    def _channels(self) -> Renaming:
        return Renaming(component=lambda word: self.preferences.channels.get(word, word))

    def _answered(self, answer: str) -> set[SourceKey]:
        return {key for key, given in self.answers.items() if given == answer}

    def _ends(self) -> Iterator[tuple[SourceKey, SourceEnd]]:
        """What becomes of the sources that do not simply go along, and why."""
        yield from ((key, ("paused", why)) for key, why in self.waiting.items())
        for key, answer in self.answers.items():
            if key in self.waiting:
                continue
            if answer == DROP:
                yield key, ("dropped", _YOU_DECIDED)
            elif answer == KEEP:
                yield key, ("unchanged", f"it stays at what it has for {self.leg.start.title}")
            elif suite_in(answer):
                yield key, ("renamed", f"you chose this suite of it for {self.leg.end.title}")

    # Fetching them

    def _fetch(self) -> Script[tuple[SourceFile, ...] | PlanFault]:
        """Fetch the leg's indices; third-party sources that do not have it are paused."""
        for _ in range(_MOST_ROUNDS):
            files = self._turned()
            lacking = yield from self._fetch_once(files)
            if isinstance(lacking, PlanFault):
                return lacking
            self.waiting |= lacking
            if self._turned() == files:
                return files
        return PlanFault(
            f"fetching the indices of {self.leg.end.title}",
            "sources fail that did not fail before",
            "plan again",
        )

    def _fetch_once(
        self, files: tuple[SourceFile, ...]
    ) -> Script[dict[SourceKey, str] | PlanFault]:
        """Fetch what the files name: the sources that lack it with the reason, or a fault."""
        title = self.leg.end.title
        active = all_entries(files)
        reply = yield from FetchSuites(
            title=f"Fetch the indices of {title}",
            folder=f"{self.folder}/lists",
            suites=tuple(suites_of(active)),
        )
        if not isinstance(reply, SuitesFetched):
            return fault_of(f"fetching the indices of {title}", reply)
        self.found |= {(found.uri, found.suite): found for found in reply.suites}
        lacking: dict[SourceKey, str] = {}
        self._learn_whose_they_are(active)
        for entry in active:
            known = (self.found.get(at) for at in _places(entry))
            found = next((one for one in known if one is not None and one.fault), None)
            if found is None:
                continue
            if source_key(entry) not in self.answers and self._can_do_without(entry):
                self._take_as_foreign(self.entries[source_key(entry)])
            if source_key(entry) not in self.answers:
                remedy = "check the source, its key and the clock, then plan again"
                return PlanFault(f"fetching the indices of {title}", found.fault, remedy)
            why = f"it does not have {title} yet" if found.missing else found.fault
            lacking[source_key(entry)] = why
        return lacking

    def _own_entries(self) -> list[SourceEntry]:
        return [entry for at, entry in self.entries.items() if at not in self.answers]

    def _learn_whose_they_are(self, turned: list[SourceEntry]) -> None:
        """What an archive says of itself decides, where only its path was known before."""
        for entry in turned:
            before = self.entries[source_key(entry)]
            known = (self.found.get(at) for at in _places(entry))
            origins = {found.origin for found in known if found is not None and found.origin}
            foreign = bool(origins) and bool(self.leg.origin) and self.leg.origin not in origins
            is_open = source_key(entry) not in self.answers and not self.facts.has_read(before)
            if foreign and is_open:
                self._take_as_foreign(before)

    def _can_do_without(self, entry: SourceEntry) -> bool:
        """Whether one that was never read is beside another that has the same release."""
        before = self.entries[source_key(entry)]
        read = [own for own in self._own_entries() if self.facts.has_read(own)]
        suites = {suite for own in read if own is not before for suite in own.suites}
        return not self.facts.has_read(before) and suites >= set(before.suites)

    # What else third parties have

    def _look_for_other_suites(self) -> Script[None]:
        """Ask for the descriptions alone of the suites that might be meant for the leg's end."""
        wanted = tuple(
            suite
            for key, entry in self.entries.items()
            if key in self.answers and not self._follows(entry)
            for suite in suites_of([entry])
            if not suite.suite.endswith("/")
        )
        asked = tuple(
            description_of(suite, name)
            for suite in wanted
            for name in (
                self.renaming.suites(suite.suite),
                *other_suites(suite.suite, self.leg.start, self.leg.end),
            )
            if (suite.uri, name) not in self.found
        )
        if not asked:
            return
        reply = yield from FetchSuites(
            title="Look for what third parties have", folder=f"{self.folder}/looked", suites=asked
        )
        if isinstance(reply, SuitesFetched):
            self.found |= {(found.uri, found.suite): found for found in reply.suites}

    def _follows(self, entry: SourceEntry) -> bool:
        """Whether a source has the leg's end where it is expected, or cannot be asked now."""
        expected = self.found.get((entry.uris[0], self.renaming.suites(entry.suites[0])))
        return expected is not None and not expected.missing

    def _source_choices(self) -> Iterator[PlanChoice]:
        for key, answer in self.answers.items():
            entry = self.entries[key]
            if "deb" in entry.types:
                asked = {
                    suite: found
                    for (uri, suite), found in self.found.items()
                    if uri == entry.uris[0]
                }
                turned = self.renaming.suites(entry.suites[0])
                yield source_choice(entry, self.leg, turned, asked, answer)


def fault_of(attempted: str, reply: Reply, remedy: str = "") -> PlanFault:
    """A reply that is not the one hoped for, as a fault of planning."""
    if isinstance(reply, Failed):
        return PlanFault(f"{attempted}: {reply.attempted}", reply.seen, reply.remedy or remedy)
    return PlanFault(attempted, "no answer", remedy)


def _places(entry: SourceEntry) -> Iterator[tuple[str, str]]:
    return ((uri, suite) for uri in entry.uris for suite in entry.suites)
