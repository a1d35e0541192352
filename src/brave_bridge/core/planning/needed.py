"""What installed packages need of the others that are installed."""

from collections.abc import Iterable, Mapping

from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import Atom
from brave_bridge.core.planning.universe import Universe


def needed_slots(
    universe: Universe, candidates: Mapping[str, PackageVersion], start: Iterable[str]
) -> set[str]:
    """The slots of ``start`` and the installed ones that these, and those in turn, need.

    Each package is taken as it will be: its candidate where it has one.
    """
    here = _Here(universe, candidates)
    reached = set(start)
    waiting = list(reached)
    while waiting:
        version = here.of(waiting.pop())
        for clause in version.needs:
            for atom in clause.atoms:
                for slot in here.meeting(atom, version.architecture):
                    if slot not in reached:
                        reached.add(slot)
                        waiting.append(slot)
    return reached


class _Here:
    """The installed packages and their candidates, by name and by what they provide."""

    def __init__(self, universe: Universe, candidates: Mapping[str, PackageVersion]) -> None:
        self._universe = universe
        self._candidates = candidates
        self._by_name: dict[str, list[PackageVersion]] = {}
        self._met: dict[tuple[Atom, str], set[str]] = {}
        present = (one.package for one in universe.installed.values())
        for version in (*present, *candidates.values()):
            self._by_name.setdefault(version.name, []).append(version)
            for provided in version.provides:
                self._by_name.setdefault(provided.name, []).append(version)

    def of(self, slot: str) -> PackageVersion:
        return self._candidates.get(slot) or self._universe.installed[slot].package

    def meeting(self, atom: Atom, architecture: str) -> set[str]:
        found = self._met.get((atom, architecture))
        if found is None:
            found = {
                version.slot
                for version in self._by_name.get(atom.name, ())
                if self._universe.serves(atom, version, architecture)
            }
            self._met[atom, architecture] = found
        return found
