"""Which of the versions that stand together lack something or are in each other's way.

Asked again after a few versions changed, only those are looked at that have to do with them.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator

from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import Atom, Clause, holds
from brave_bridge.core.planning.universe import Universe


class Soundness:
    """The versions that stand, and who says something about which names."""

    def __init__(self, universe: Universe) -> None:
        self._universe = universe
        self._versions: set[PackageVersion] = set()
        self._by_name: defaultdict[str, list[PackageVersion]] = defaultdict(list)
        self._providing: defaultdict[str, list[PackageVersion]] = defaultdict(list)
        self._speaking_of: defaultdict[str, list[PackageVersion]] = defaultdict(list)
        self._known: set[PackageVersion] = set()
        self._architectures: set[str] = set()
        """Of all that stood so far, where it matters which one a package is of."""

    def broken(
        self, versions: Iterable[PackageVersion]
    ) -> Iterator[tuple[PackageVersion, Clause | Atom]]:
        """What cannot stand so, and the need or opposition because of which it cannot.

        ``versions`` are all that stand. A need that was told of once is not told of again
        before something that it names has changed.
        """
        stand = set(versions)
        gone, come = self._versions - stand, stand - self._versions
        self._versions = stand
        names: set[str] = set()
        for version in gone:
            self._forget(version, names)
        for version in come:
            self._learn(version, names)
        concerned = dict.fromkeys(come)
        for name in names:
            concerned.update(dict.fromkeys(v for v in self._speaking_of[name] if v in stand))
        for version in concerned:
            yield from self.broken_needs(version)
            yield from self._met_opponents(version)

    def broken_needs(self, version: PackageVersion) -> Iterator[tuple[PackageVersion, Clause]]:
        """What a version, standing or not, would lack among those that stand."""
        by_name, simple = self._by_name, self._architectures <= {version.architecture}
        for clause in version.needs:
            for atom in clause.atoms:
                # The usual case first: the one package of that name stands in a fitting version.
                others = by_name.get(atom.name)
                if (
                    others
                    and simple
                    and not atom.architecture
                    and (not atom.operator or holds(others[0].key, atom.operator, atom.key))
                ):
                    break
            else:
                if not self._is_met(clause, version):
                    yield version, clause

    def _learn(self, version: PackageVersion, names: set[str]) -> None:
        names.add(version.name)
        self._by_name[version.name].append(version)
        if self._universe.by_architecture:
            self._architectures.add(version.architecture)
        for provided in version.provides:
            names.add(provided.name)
            self._providing[provided.name].append(version)
        if version in self._known:
            return
        self._known.add(version)
        speaking = self._speaking_of
        for clause in version.needs:
            for atom in clause.atoms:
                speaking[atom.name].append(version)
            for atom in clause.unless:
                speaking[atom.name].append(version)
        for atom in version.against:
            speaking[atom.name].append(version)

    def _forget(self, version: PackageVersion, names: set[str]) -> None:
        names.add(version.name)
        self._by_name[version.name].remove(version)
        for provided in version.provides:
            names.add(provided.name)
            self._providing[provided.name].remove(version)

    def _met_opponents(self, version: PackageVersion) -> Iterator[tuple[PackageVersion, Atom]]:
        for atom in version.against:
            if atom.name in self._by_name or atom.name in self._providing:
                for other in self._named(atom.name):
                    if self._universe.opposes(version, atom, other):
                        yield version, atom
                        break

    def _is_met(self, clause: Clause, version: PackageVersion) -> bool:
        for atom in clause.unless:
            if not any(self._universe.is_met_by(atom, o) for o in self._named(atom.name)):
                return True
        return any(
            self._universe.serves(atom, other, version.architecture)
            for atom in clause.atoms
            for other in self._named(atom.name)
        )

    def _named(self, name: str) -> Iterator[PackageVersion]:
        yield from self._by_name.get(name, ())
        yield from self._providing.get(name, ())
