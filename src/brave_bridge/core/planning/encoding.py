"""The rules of a universe as clauses over one variable for each version."""

from collections.abc import Iterable
from typing import Protocol

from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import Atom, Clause
from brave_bridge.core.planning.universe import Universe


class Sink(Protocol):
    """Takes what must hold; the last words tell what it comes from."""

    def needs(self, literals: list[int], version: PackageVersion, clause: Clause) -> None:
        """A version stands only with one of these."""

    def against(
        self, literals: list[int], version: PackageVersion, other: PackageVersion, atom: Atom
    ) -> None:
        """Two versions do not stand beside each other because the first says so."""

    def one_of(self, literals: list[int], version: PackageVersion, other: PackageVersion) -> None:
        """Two versions of a package do not stand at a time."""


class Clauses:
    """A sink that keeps the clauses and forgets where they come from."""

    def __init__(self) -> None:
        self._waiting: list[list[int]] = []

    def needs(self, literals: list[int], version: PackageVersion, clause: Clause) -> None:
        """See Sink."""
        self._waiting.append(literals)

    def against(
        self, literals: list[int], version: PackageVersion, other: PackageVersion, atom: Atom
    ) -> None:
        """See Sink."""
        self._waiting.append(literals)

    def one_of(self, literals: list[int], version: PackageVersion, other: PackageVersion) -> None:
        """See Sink."""
        self._waiting.append(literals)

    def take(self) -> list[list[int]]:
        """The clauses that came since the last time."""
        taken, self._waiting = self._waiting, []
        return taken


class Choice:
    """A need that several versions meet: what asks, and the answers in order of preference."""

    __slots__ = ("answers", "asker", "clause")

    def __init__(self, asker: int, answers: tuple[int, ...], clause: Clause) -> None:
        self.asker = asker
        self.answers = answers
        self.clause = clause


class Encoding:
    """Encodes versions: introduced ones by a variable, spelled out ones with all they say.

    ``variables`` maps a version to its variable; ``versions`` the other way round.
    """

    def __init__(self, universe: Universe, sink: Sink, variable) -> None:
        self.universe = universe
        self.variables: dict[PackageVersion, int] = {}
        self.versions: dict[int, PackageVersion] = {}
        self.slots: dict[str, list[PackageVersion]] = {}
        self.choices: list[Choice] = []
        self._sink = sink
        self._variable = variable
        self._unspelled: list[PackageVersion] = []
        self._spelled: set[tuple[PackageVersion, Clause | Atom]] = set()
        self._meeting: dict[tuple[Atom, str], tuple[int, ...]] = {}
        self._answers: dict[tuple[Clause, str], tuple[int, ...]] = {}
        self._naming: dict[str, list[PackageVersion]] = {}
        self._opposing: dict[str, list[tuple[PackageVersion, Atom]]] = {}
        self._architectures: dict[str, list[PackageVersion]] = {}

    def include(self, versions: Iterable[PackageVersion]) -> None:
        """Introduce versions and all that they, and what they need, may need; spell all out."""
        for version in versions:
            self.introduce(version)
        while self._unspelled:
            self.spell_out(self._unspelled.pop())

    def introduce(self, version: PackageVersion) -> int:
        """The variable of a version; new ones exclude the others of their slot."""
        variable = self.variables.get(version)
        if variable is None:
            variable = self._variable()
            self.variables[version] = variable
            self.versions[variable] = version
            self._unspelled.append(version)
            self._share_slot(version, variable)
            self._meet_opponents(version)
        return variable

    def spell_out(self, version: PackageVersion) -> None:
        """Encode all that a version needs and is against; what it needs is introduced."""
        for clause in version.needs:
            self.spell_need(version, clause)
        for atom in version.against:
            self.spell_opposition(version, atom)

    def spell_need(self, version: PackageVersion, clause: Clause) -> None:
        """Encode one clause of what a version needs."""
        if (version, clause) in self._spelled:
            return
        self._spelled.add((version, clause))
        variable = self.introduce(version)
        answers = self.answers(clause, version.architecture)
        if variable in answers:
            return
        literals = [-variable, *answers]
        conditions = [self.universe.meeting(atom, version.architecture) for atom in clause.unless]
        if not conditions:
            self._sink.needs(literals, version, clause)
        for condition in conditions:
            for other in condition:
                self._sink.needs([*literals, -self.introduce(other)], version, clause)
        if len(answers) > 1:
            self.choices.append(Choice(variable, answers, clause))

    def spell_opposition(self, version: PackageVersion, atom: Atom) -> None:
        """Encode that a version stands beside nothing that an atom names."""
        if (version, atom) in self._spelled:
            return
        self._spelled.add((version, atom))
        self._opposing.setdefault(atom.name, []).append((version, atom))
        for other in self._naming.get(atom.name, ()):
            self._encode_opposition(version, other, atom)

    def answers(self, clause: Clause, architecture: str) -> tuple[int, ...]:
        """The variables of the versions that meet a clause, in order of preference."""
        found = self._answers.get((clause, architecture))
        if found is None:
            if len(clause.atoms) == 1:
                found = self._met(clause.atoms[0], architecture)
            else:
                every = (self._met(atom, architecture) for atom in clause.atoms)
                found = tuple(dict.fromkeys(v for variables in every for v in variables))
            self._answers[clause, architecture] = found
        return found

    def _met(self, atom: Atom, architecture: str) -> tuple[int, ...]:
        found = self._meeting.get((atom, architecture))
        if found is None:
            found = tuple(map(self.introduce, self.universe.meeting(atom, architecture)))
            self._meeting[atom, architecture] = found
        return found

    def _meet_opponents(self, version: PackageVersion) -> None:
        names = {version.name, *(provided.name for provided in version.provides)}
        for name in names:
            for other, atom in self._opposing.get(name, ()):
                self._encode_opposition(other, version, atom)
            self._naming.setdefault(name, []).append(version)

    def _share_slot(self, version: PackageVersion, variable: int) -> None:
        others = self.slots.setdefault(version.slot, [])
        for other in others:
            self._sink.one_of([-variable, -self.variables[other]], version, other)
        others.append(version)
        siblings = self._architectures.setdefault(version.name, [])
        for other in siblings:
            if other.architecture != version.architecture and not _go_together(version, other):
                self._sink.one_of([-variable, -self.variables[other]], version, other)
        siblings.append(version)

    def _encode_opposition(
        self, version: PackageVersion, other: PackageVersion, atom: Atom
    ) -> None:
        if self.universe.opposes(version, atom, other):
            literals = [-self.variables[version], -self.variables[other]]
            self._sink.against(literals, version, other, atom)


def _go_together(version: PackageVersion, other: PackageVersion) -> bool:
    """Whether a package's versions of two architectures may stand at a time."""
    return version.together and other.together and version.version == other.version
