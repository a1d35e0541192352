"""Why a plan is as it is: a smallest set of facts that leaves no other way.

The question *could it be otherwise?* is put to a solver together with what the plan reached.
Of the facts that make it impossible as many are let go as can be: each one that is left is
needed, so none of them can be taken away without the answer changing.
"""

from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.formats.text import counted
from brave_bridge.core.packages.package_version import Installed, PackageVersion
from brave_bridge.core.packages.relation import Atom, Clause
from brave_bridge.core.planning.encoding import Encoding
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.solver import LevelSolver
from brave_bridge.core.planning.universe import Universe

NEEDS, AGAINST, ALIKE = "needs", "against", "alike"
GOES_TO, STAYS = "goes to", "stays"
HELD, UNWANTED, RECOMMENDS = "held", "unwanted", "recommends"
TO_GO, TO_COME = "to go", "to come"
_RELATIONS = (NEEDS, AGAINST, ALIKE)


class Fact(msgspec.Struct, frozen=True, eq=False):
    """One thing that is so. ``version`` says it, ``answers`` are the versions that would meet it.

    ``needs``: a version needs one of the answers. ``against``: it and the answer cannot stand
    together. ``alike``: nor can two architectures of a package that are not of one version.
    ``goes to``, ``stays``: what the plan reached. ``held``, ``unwanted``: somebody holds it on
    the machine, or wants it not to change. ``recommends``: it recommends the answer. ``to go``,
    ``to come``: somebody wants it away, or here.
    """

    kind: str
    version: PackageVersion
    answers: tuple[PackageVersion, ...] = ()
    text: str = ""
    others: int = 0
    """How many other packages would have met it as well."""

    @property
    def words(self) -> str:
        """It in a sentence without a full stop."""
        title, name = self.version.title, self.version.label
        choice = f", for which {counted(self.others, 'other')} would do" if self.others else ""
        if self.kind == NEEDS:
            lack = "" if self.answers else ", which no source has"
            return f"{title} needs {self.text}{lack}{choice}"
        if self.kind == RECOMMENDS:
            return f"{title} recommends {self.text}{choice}"
        if self.kind == AGAINST:
            return f"{title} cannot stand beside {self.answers[0].title}"
        if self.kind == ALIKE:
            return f"{title} cannot stand beside {self.answers[0].title}, of another architecture"
        return {
            GOES_TO: f"{name} goes to {self.version.version}",
            STAYS: f"{name} stays",
            HELD: f"{title} is held",
            TO_GO: f"you want {name} to go",
            TO_COME: f"you asked for {name}",
        }.get(self.kind, f"{name} is not to change")


class Reason(msgspec.Struct, frozen=True):
    """The facts behind one change, the nearest first. ``proven``: they leave no other way."""

    facts: tuple[Fact, ...]
    proven: bool = True

    @property
    def words(self) -> str:
        """All of it in a sentence."""
        return "; ".join(fact.words for fact in self.facts) or "another choice was as good"


class Explainer:
    """Explains one plan. What it needs is made when it is first asked."""

    def __init__(self, universe: Universe, plan: PackagePlan) -> None:
        self._universe = universe
        self._plan = plan
        self._solver = LevelSolver()
        self._facts: dict[int, Fact] = {}
        self._encoding = Encoding(universe, self, self._solver.variable)
        self._clauses: list[list[int]] = []
        self._brought_by: dict[PackageVersion, Fact] | None = None
        self._switches: dict[str, int] | None = None
        self._encode()

    def close(self) -> None:
        """Free what the solver holds."""
        self._solver.close()

    def why_gone(self, slot: str) -> Reason:
        """Why an installed package goes away."""
        versions = [self._plan.before[slot].package]
        if slot in self._plan.preferences.remove:
            return Reason((Fact(TO_GO, versions[0]),))
        if slot in self._plan.candidates:
            versions.append(self._plan.candidates[slot])
        wanted = self._solver.variable()
        self._solver.add([[-wanted, *(self._encoding.variables[v] for v in versions)]])
        return self._reason(wanted, versions, slot)

    def why_kept(self, slot: str) -> Reason:
        """Why a package does not take the version that the release has."""
        candidate = self._plan.candidates[slot]
        one = self._plan.before[slot]
        if one.held or slot in self._plan.preferences.exclude:
            return Reason((Fact(HELD if one.held else UNWANTED, one.package),))
        wanted = self._encoding.variables[candidate]
        return self._reason(wanted, [candidate], slot)

    def why_new(self, slot: str) -> Reason:
        """Why a package comes: the shortest way from one that was there and asks for it."""
        if slot in self._plan.preferences.add:
            return Reason((Fact(TO_COME, self._plan.after[slot]),))
        return Reason(tuple(self._way_to(self._plan.after[slot])))

    # What the encoding says, each under a switch of its own

    def needs(self, literals: list[int], version: PackageVersion, clause: Clause) -> None:
        """See Sink."""
        answers = tuple(self._encoding.versions[v] for v in literals[1:] if v > 0)
        self._switched(literals, Fact(NEEDS, version, answers, clause.text))

    def against(
        self, literals: list[int], version: PackageVersion, other: PackageVersion, atom: Atom
    ) -> None:
        """See Sink."""
        self._switched(literals, Fact(AGAINST, version, (other,), atom.words))

    def one_of(self, literals: list[int], version: PackageVersion, other: PackageVersion) -> None:
        """See Sink; that versions of one slot exclude each other needs no saying."""
        if other.slot == version.slot:
            self._clauses.append(literals)
        else:
            self._switched(literals, Fact(ALIKE, version, (other,)))

    def _switched(self, literals: list[int], fact: Fact) -> None:
        switch = self._solver.variable()
        self._facts[switch] = fact
        self._clauses.append([-switch, *literals])

    def _encode(self) -> None:
        plan = self._plan
        self._encoding.include(one.package for one in plan.before.values())
        self._encoding.include(plan.candidates.values())
        self._encoding.include(plan.after.values())
        self._solver.add(self._clauses)
        self._relations = list(self._facts)

    def _reached(self) -> dict[str, int]:
        """What the plan reached, each under a switch: what goes on to a version, what stays."""
        if self._switches is None:
            self._switches = dict(self._switched_outcomes())
        return self._switches

    def _switched_outcomes(self) -> Iterator[tuple[str, int]]:
        for slot, one in self._plan.before.items():
            after = self._plan.after.get(slot)
            if after is None:
                continue
            kind = self._outcome(slot, one, after)
            literals = [self._encoding.variables[after]]
            if kind == STAYS and slot in self._plan.candidates:
                literals.append(self._encoding.variables[self._plan.candidates[slot]])
            switch = self._solver.variable()
            self._facts[switch] = Fact(kind, after)
            self._solver.add([[-switch, *literals]])
            yield slot, switch
        yield from self._switched_preferences()

    def _switched_preferences(self) -> Iterator[tuple[str, int]]:
        """What the person wants not to come, and what to go."""
        preferences, before = self._plan.preferences, self._plan.before
        for version, variable in self._encoding.variables.items():
            gone = version.slot in preferences.remove and version.slot not in self._plan.after
            if gone or (version.slot in preferences.exclude and version.slot not in before):
                switch = self._solver.variable()
                self._facts[switch] = Fact(TO_GO if gone else UNWANTED, version)
                self._solver.add([[-switch, -variable]])
                yield f"{version.slot} {version.version}", switch

    def _outcome(self, slot: str, one: Installed, after: PackageVersion) -> str:
        if after is not one.package:
            return GOES_TO
        if one.held:
            return HELD
        return UNWANTED if slot in self._plan.preferences.exclude else STAYS

    # Finding the facts

    def _reason(self, wanted: int, versions: list[PackageVersion], slot: str) -> Reason:
        reached = [switch for other, switch in self._reached().items() if other != slot]
        core = self._core([wanted, *reached, *self._relations])
        if core is None:
            return Reason((), proven=False)
        core = self._smallest(wanted, [switch for switch in core if switch != wanted])
        facts = [self._facts[switch] for switch in core]
        return Reason(tuple(_in_order(versions, facts)))

    def _core(self, assumptions: list[int]) -> list[int] | None:
        if self._solver.solve(assumptions) is not False:
            return None
        return self._solver.core()

    def _smallest(self, wanted: int, core: list[int]) -> list[int]:
        """Let go of every fact that is not needed, those about the plan first."""
        core = sorted(core, key=lambda switch: self._facts[switch].kind in _RELATIONS)
        for switch in list(core):
            if switch not in core:
                continue
            rest = [other for other in core if other != switch]
            smaller = self._core([wanted, *rest])
            if smaller is not None:
                kept = set(smaller)
                core = [other for other in rest if other in kept]
        return core

    # The way to what is new

    def _way_to(self, new: PackageVersion) -> Iterator[Fact]:
        steps = []
        while (way := self._ways().get(new)) is not None:
            steps.append(way)
            new = way.version
        return reversed(steps)

    def _ways(self) -> dict[PackageVersion, Fact]:
        """For each new version the fact that brings it, the shortest way from what was there."""
        if self._brought_by is None:
            self._brought_by = dict(_bringing(self._universe, self._plan))
        return self._brought_by


def _bringing(universe: Universe, plan: PackagePlan) -> Iterator[tuple[PackageVersion, Fact]]:
    """What brings each new version, breadth first from what was installed before.

    First what nothing else that stands would answer, then what is one of several answers.
    """
    standing = set(plan.after.values())
    known = plan.before.keys() | plan.preferences.add
    met = {version: None for slot, version in plan.after.items() if slot in known}
    for kind, alone in ((NEEDS, True), (RECOMMENDS, True), (NEEDS, False), (RECOMMENDS, False)):
        row = list(met)
        while row:
            row, present = [], row
            for asker in present:
                for answer, fact in _asked_for(universe, asker, kind, alone, standing):
                    if answer not in met:
                        met[answer] = None
                        row.append(answer)
                        yield answer, fact


def _asked_for(
    universe: Universe, asker: PackageVersion, kind: str, alone: bool, standing: set[PackageVersion]
) -> Iterator[tuple[PackageVersion, Fact]]:
    """The standing answers to each clause: the only one, or each of several."""
    for clause in asker.needs if kind == NEEDS else asker.recommends:
        met_by = dict.fromkeys(
            version
            for atom in clause.atoms
            for version in universe.meeting(atom, asker.architecture)
        )
        answers = [version for version in met_by if version in standing]
        if len(answers) == 1 or not alone:
            names = {version.name for version in met_by}
            for answer in answers:
                yield answer, Fact(kind, asker, (answer,), clause.text, len(names) - 1)


def _in_order(start: Iterable[PackageVersion], facts: list[Fact]) -> Iterator[Fact]:
    """The facts as a chain: each one after one that names what it is about."""
    met, rest = {version.slot for version in start}, list(facts)
    while rest:
        following = next((f for f in rest if _slots(f) & met), rest[0])
        rest.remove(following)
        met |= _slots(following)
        yield following


def _slots(fact: Fact) -> set[str]:
    return {fact.version.slot, *(answer.slot for answer in fact.answers)}
