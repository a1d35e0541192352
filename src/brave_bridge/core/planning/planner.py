"""Planning a leg's packages: the best set of versions that may stand together, level by level."""

import gc
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import cached_property

from brave_bridge.core.packages.levels import (
    BASE_UPGRADED,
    DECIDED,
    HAND_INSTALLED_KEPT,
    HAND_INSTALLED_STAY,
    NEEDED_UPGRADED,
    NEW,
    PREFERRED,
    RECOMMENDED,
    STAY,
    UPGRADED,
    LevelResult,
)
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.packages.relation import Clause
from brave_bridge.core.planning.encoding import Choice, Clauses, Encoding
from brave_bridge.core.planning.needed import needed_slots
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.solver import LevelSolver, Reached
from brave_bridge.core.planning.soundness import Soundness
from brave_bridge.core.planning.universe import Universe

_ROUNDS = 12


def plan_packages(universe: Universe, preferences: Preferences | None = None) -> PackagePlan:
    """The best plan for what is installed in a universe.

    Level by level as few soft clauses as possible fail (``package_plan.LEVELS``); what a weightier
    level reached is never given up for a lighter one.
    """
    with collector_at_rest():
        planning = _Planning(universe, preferences or Preferences())
        try:
            return planning.run()
        finally:
            planning.solver.close()


@contextmanager
def collector_at_rest() -> Iterator[None]:
    """Without garbage collection: hundreds of thousands of lasting objects are made at once.

    None of them is part of a cycle, so they go when nobody needs them, without the collector.
    """
    was_at_work = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_at_work:
            gc.freeze()
            gc.enable()


class _Planning:
    """One planning. What a version says becomes clauses only once it does not hold by itself."""

    def __init__(self, universe: Universe, preferences: Preferences) -> None:
        self.universe = universe
        self.preferences = preferences
        self.solver = LevelSolver()
        self.sink = Clauses()
        self.encoding = Encoding(universe, self.sink, self.solver.variable)
        self.soundness = Soundness(universe)
        self.installed = universe.installed
        self.candidates = dict(self._upgrades())
        self.replacements = {
            slot: found
            for slot, one in self.installed.items()
            if (found := universe.replacements(one.package))
        }
        self.additions = universe.additions()
        self.levels: list[LevelResult] = []
        self.successors: dict[str, list[PackageVersion]] = {}
        """What was met so far that would take the whole place of an automatic package."""
        self._followed: set[PackageVersion] = set()
        self._served: set[Choice] = set()
        """The choices of which another answer comes anyway."""

    def _upgrades(self) -> Iterator[tuple[str, PackageVersion]]:
        """The candidates that are other than what is installed, by slot."""
        for slot, one in self.installed.items():
            candidate = self.universe.candidate(one.package)
            if candidate is not None and candidate is not one.package:
                yield slot, candidate

    def run(self) -> PackagePlan:
        self._introduce(one.package for one in self.installed.values())
        self._introduce(self.candidates.values())
        self._introduce(self.additions)
        self._introduce(version for found in self.replacements.values() for version in found)
        self._introduce(self._named_in(self.preferences.exclude | self.preferences.remove))
        self.wanted = list(self._wanted())
        self._introduce(self.wanted)
        self.solver.prefer(self._hints())
        self._look_at_the_best_case()
        levels: dict[str, Callable[[], Iterable[int]]] = {
            DECIDED: self._decided,
            HAND_INSTALLED_KEPT: self._hand_installed_kept,
            BASE_UPGRADED: self._base_upgraded,
            NEEDED_UPGRADED: self._needed_upgraded,
            UPGRADED: self._all_upgraded,
            HAND_INSTALLED_STAY: lambda: self._stay(by_hand=True),
            STAY: lambda: self._stay(by_hand=False),
        }
        for name in self.preferences.order:
            if name in levels:
                self._level(name, levels[name])
        self._settle_the_new()
        after = {version.slot: version for version in self._found()}
        return PackagePlan(
            self.installed, after, self.candidates, tuple(self.levels), self.preferences
        )

    def _look_at_the_best_case(self) -> None:
        """Spell out what is in the way of upgrading everything: little else will matter."""
        granted = dict.fromkeys(self.encoding.variables[v] for v in self.candidates.values())
        for slot, one in self.installed.items():
            if slot not in self.candidates:
                granted[self.encoding.variables[one.package]] = None
        self.solver.guidance = granted
        self._minimise(())

    def _named_in(self, slots: Iterable[str]) -> Iterator[PackageVersion]:
        """Every version that some source has of these."""
        for slot in sorted(slots):
            for version in self.universe.archive.candidates(slot.partition(":")[0]):
                if version.slot == slot:
                    yield version

    def _wanted(self) -> Iterator[PackageVersion]:
        """The best version of each package that is to come, where there is one."""
        for slot in sorted(self.preferences.add - self.installed.keys()):
            found = next(self._named_in((slot,)), None)
            if found is not None:
                yield found

    def _introduce(self, versions: Iterable[PackageVersion]) -> None:
        for version in versions:
            self.encoding.introduce(version)
        self.solver.add(self.sink.take())

    def _level(self, name: str, soft: Callable[[], Iterable[int]]) -> None:
        """Reach a level; again where a successor was met only on the way to it."""
        while True:
            self.successors = known = self._met_successors()
            scope = self.solver.variable()
            reached = self._minimise(soft(), scope)
            if self._met_successors() == known:
                break
        self.solver.decide([scope])
        self.levels.append(LevelResult(name, reached.failed, reached.proven))

    def _met_successors(self) -> dict[str, list[PackageVersion]]:
        """For each automatic package with a newer version: what would come in its place."""
        found: dict[str, list[PackageVersion]] = {}
        for version in self.encoding.variables:
            if not version.replaces or version.slot in self.installed:
                continue
            for name in {atom.name for atom in version.replaces}:
                for slot in self._automatic.get(name, ()):
                    if self.universe.succeeds(version, self.candidates[slot]):
                        found.setdefault(slot, []).append(version)
        return found

    @cached_property
    def _automatic(self) -> dict[str, list[str]]:
        """The slots of packages with newer versions that nobody asked for, by name."""
        found: dict[str, list[str]] = {}
        for slot, candidate in self.candidates.items():
            if not self.installed[slot].held and not self._is_dear(slot):
                found.setdefault(candidate.name, []).append(slot)
        return found

    def _minimise(self, soft: Iterable[int], *scope: int) -> Reached:
        return self.solver.minimise(list(soft), scope, self._refine)

    def _refine(self) -> bool:
        """Spell out what does not hold for the versions that were found to stand."""
        broken = list(self.soundness.broken(self._found()))
        for version, relation in broken:
            if isinstance(relation, Clause):
                self._spell_chain(version, relation)
            else:
                self.encoding.spell_opposition(version, relation)
        self.solver.add(self.sink.take())
        return bool(broken)

    def _spell_chain(self, version: PackageVersion, need: Clause) -> None:
        """Spell out a need and, where one version alone meets it, what that one lacks, and so on.

        Otherwise a long chain of needs would be found link by link, with a search for each.
        """
        waiting = [(version, need)]
        while waiting:
            version, need = waiting.pop()
            self.encoding.spell_need(version, need)
            answers = self.encoding.answers(need, version.architecture)
            only = self.encoding.versions[answers[0]] if len(answers) == 1 else None
            if only is not None and only not in self._followed:
                self._followed.add(only)
                waiting += self.soundness.broken_needs(only)

    def _hints(self) -> Iterator[int]:
        for version, variable in self.encoding.variables.items():
            stays = version.slot in self.installed and version.slot not in self.candidates
            yield variable if stays or version is self.candidates.get(version.slot) else -variable

    def _found(self) -> list[PackageVersion]:
        versions = self.encoding.versions
        return [versions[literal] for literal in self.solver.model if literal in versions]

    # The levels' soft clauses

    def _any_of(self, slot: str) -> int:
        """A literal that holds where an installed package stands, in some version or successor."""
        versions = [self.installed[slot].package, *self.replacements.get(slot, ())]
        if slot in self.candidates:
            versions.append(self.candidates[slot])
        return self._one_stands(versions)

    def _one_stands(self, versions: list[PackageVersion]) -> int:
        """A literal that holds only where one of these stands."""
        variables = [self.encoding.variables[version] for version in versions]
        if len(variables) == 1:
            return variables[0]
        literal = self.solver.variable()
        self.solver.add([[-literal, *variables]])
        return literal

    def _decided(self) -> Iterator[int]:
        """Holds, essential packages, and what the person prefers."""
        preferences, variables = self.preferences, self.encoding.variables
        for slot, one in self.installed.items():
            if one.held or slot in preferences.exclude:
                yield variables[one.package]
            elif one.package.essential or slot in preferences.protect:
                yield self._any_of(slot)
        for version in self.wanted:
            yield variables[version]
        for version, variable in variables.items():
            unwanted = version.slot in preferences.exclude and version.slot not in self.installed
            if unwanted or version.slot in preferences.remove:
                yield -variable

    def _hand_installed_kept(self) -> Iterator[int]:
        for slot, one in self.installed.items():
            if self._is_dear(slot) and one.package.name in self.universe.archive:
                yield self._any_of(slot)

    def _is_dear(self, slot: str) -> bool:
        """Whether somebody asked for a package, and does not let it go."""
        preferences = self.preferences
        return self.installed[slot].by_hand and slot not in preferences.let_go | preferences.remove

    def _base_upgraded(self) -> Iterator[int]:
        return self._upgrade(
            slot for slot, candidate in self.candidates.items() if candidate.is_base
        )

    def _needed_upgraded(self) -> Iterator[int]:
        """The hand-installed packages and what is installed of all that they need."""
        by_hand = (slot for slot in self.installed if self._is_dear(slot))
        reached = needed_slots(self.universe, self.candidates, by_hand)
        return self._upgrade(slot for slot in self.candidates if slot in reached)

    def _all_upgraded(self) -> Iterator[int]:
        """What has a newer version takes it; what has a successor gives way to it."""
        yield from self._upgrade(slot for slot in self.candidates if slot not in self.replacements)
        for found in self.replacements.values():
            yield self._one_stands(found)
        for version in self.additions:
            yield self.encoding.variables[version]

    def _upgrade(self, slots: Iterable[str]) -> Iterator[int]:
        """What goes to its newer version, or gives way to what takes its whole place."""
        going = self.preferences.remove
        return (
            self._one_stands([self.candidates[slot], *self.successors.get(slot, ())])
            for slot in slots
            if slot not in going
        )

    def _stay(self, *, by_hand: bool) -> Iterator[int]:
        going = self.preferences.remove
        return (
            self._any_of(slot)
            for slot in self.installed
            if slot not in going and self._is_dear(slot) == by_hand
        )

    # Recommendations come in rounds: what is new may recommend more

    def _settle_the_new(self) -> None:
        """The last three levels: recommendations, preferred alternatives, as little as can be."""
        failed, proven = 0, True
        asked: set[PackageVersion] = set()
        for rounds_left in reversed(range(_ROUNDS)):
            scope = self.solver.variable()
            known = len(self.encoding.variables)
            preferred = self._minimise(self._preferred(), scope)
            new = self._minimise(self._not_new(), scope)
            # What was met only while looking was not among what should not come: look again.
            settled = known == len(self.encoding.variables) and not self._serve_by_others()
            wanted = settled and self.universe.takes_recommended
            recommended = list(self._recommended(asked)) if wanted else []
            if (settled and not recommended) or not rounds_left:
                break
            while recommended:
                reached = self._minimise(self._encoded(recommended))
                failed, proven = failed + reached.failed, proven and reached.proven
                recommended = list(self._recommended(asked))
        self.solver.decide([scope])
        self.levels += (
            LevelResult(RECOMMENDED, failed, proven),
            LevelResult(PREFERRED, preferred.failed, preferred.proven),
            LevelResult(NEW, new.failed, new.proven),
        )

    def _recommended(self, asked: set[PackageVersion]) -> Iterator[tuple[PackageVersion, Clause]]:
        """What versions that would come recommend, beyond what their old ones did.

        Each version is asked once: it is in ``asked`` from then on.
        """
        for version in self._found():
            before = self.installed.get(version.slot)
            if version in asked or (before is not None and before.package is version):
                continue
            asked.add(version)
            if not version.recommends:
                continue
            known = {clause.text for clause in before.package.recommends} if before else ()
            for clause in version.recommends:
                if clause.text not in known:
                    yield version, clause

    def _encoded(self, recommended: list[tuple[PackageVersion, Clause]]) -> Iterator[int]:
        for version, clause in recommended:
            self.encoding.answers(clause, version.architecture)
        self.solver.add(self.sink.take())
        for version, clause in recommended:
            answers = self.encoding.answers(clause, version.architecture)
            literal = self.solver.variable()
            self.solver.add([[-literal, -self.encoding.variables[version], *answers]])
            yield literal
            if len(answers) > 1:
                self.encoding.choices.append(
                    Choice(self.encoding.variables[version], answers, clause)
                )

    def _preferred(self) -> list[int]:
        return list(self._first_answers())

    def _serve_by_others(self) -> bool:
        """Note the choices of which several answers would come: one is enough; whether any."""
        doubled = {
            choice
            for choice in self.encoding.choices
            if self.solver.is_true(choice.asker)
            and choice not in self._served
            and not self._is_answered_already(choice)
            and sum(map(self.solver.is_true, choice.answers)) > 1
        }
        self._served |= doubled
        return bool(doubled)

    def _first_answers(self) -> Iterator[int]:
        """For what would come: the first answer to a need, or one that is there already."""
        for choice in self.encoding.choices:
            if not self.solver.is_true(choice.asker) or self._is_answered_already(choice):
                continue
            if choice in self._served:
                continue
            for count in range(1, len(choice.answers)):
                literal = self.solver.variable()
                self.solver.add([[-literal, -choice.asker, *choice.answers[:count]]])
                yield literal

    def _is_answered_already(self, choice: Choice) -> bool:
        return any(
            self.encoding.versions[answer].slot in self.installed for answer in choice.answers
        )

    def _not_new(self) -> Iterator[int]:
        for version, variable in self.encoding.variables.items():
            if version.slot not in self.installed and version not in self.wanted:
                yield -variable
