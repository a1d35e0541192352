"""Which of the versions that stand together lack something or are in each other's way.

Asked again after a few versions changed, only those are looked at that have to do with them.
"""

from collections.abc import Iterable, Iterator

from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import Clause, holds
from brave_bridge.core.planning.universe import Universe


class Standing:
    """The versions that stand, and who says something about which names."""

    def __init__(self, universe: Universe) -> None:
        self._universe = universe
        self._versions: set[PackageVersion] = set()
        self._by_name: dict[str, list[PackageVersion]] = {}
        self._providing: dict[str, list[PackageVersion]] = {}
        self._speaking_of: dict[str, list[PackageVersion]] = {}
        self._known: set[PackageVersion] = set()
        self._simple = not universe.has_several_architectures

    def broken(self, versions: Iterable[PackageVersion]) -> list[PackageVersion]:
        """The versions among these that cannot stand so; ``versions`` are all that stand."""
        stand = set(versions)
        gone, come = self._versions - stand, stand - self._versions
        self._versions = stand
        names: set[str] = set()
        for version in gone:
            self._forget(version, names)
        for version in come:
            self._learn(version, names)
        concerned = set(come)
        for name in names:
            concerned.update(v for v in self._speaking_of.get(name, ()) if v in stand)
        return [version for version in concerned if self._is_broken(version)]

    def _learn(self, version: PackageVersion, names: set[str]) -> None:
        names.add(version.name)
        self._by_name.setdefault(version.name, []).append(version)
        for provided in version.provides:
            names.add(provided.name)
            self._providing.setdefault(provided.name, []).append(version)
        if version in self._known:
            return
        self._known.add(version)
        speaking = self._speaking_of
        for clause in version.needs:
            for atom in clause.atoms:
                speaking.setdefault(atom.name, []).append(version)
            for atom in clause.unless:
                speaking.setdefault(atom.name, []).append(version)
        for atom in version.against:
            speaking.setdefault(atom.name, []).append(version)

    def _forget(self, version: PackageVersion, names: set[str]) -> None:
        names.add(version.name)
        self._by_name[version.name].remove(version)
        for provided in version.provides:
            names.add(provided.name)
            self._providing[provided.name].remove(version)

    def _is_broken(self, version: PackageVersion) -> bool:
        for clause in version.needs:
            if not self.meets(clause, version):
                return True
        for atom in version.against:
            for other in self._named(atom.name):
                if other.slot != version.slot and self._universe.is_met_by(atom, other):
                    return True
        return False

    def meets(self, clause: Clause, version: PackageVersion) -> bool:
        """Whether what a version asks for stands."""
        by_name = self._by_name
        if self._simple:
            for atom in clause.atoms:
                for other in by_name.get(atom.name, ()):
                    if not atom.operator or holds(other.key, atom.operator, atom.key):
                        return True
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
