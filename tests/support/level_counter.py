"""How well versions that stand together meet each level, counted without the planner."""

from collections.abc import Iterable, Mapping

from brave_bridge.core.packages.levels import (
    BASE_UPGRADED,
    DECIDED,
    HAND_INSTALLED_KEPT,
    HAND_INSTALLED_STAY,
    NEEDED_UPGRADED,
    STAY,
    UPGRADED,
)
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import holds
from brave_bridge.core.planning.universe import Universe


def failed_clauses(universe: Universe, after: Mapping[str, PackageVersion]) -> dict[str, int]:
    """How many soft clauses of each level fail, by its name; those about what is new are left out.

    Nobody prefers anything beside.
    """
    return _Counter(universe, after).all()


class _Counter:
    def __init__(self, universe: Universe, after: Mapping[str, PackageVersion]) -> None:
        self.universe = universe
        self.after = after
        self.newer = {}
        self.successors = {}
        for slot, one in universe.installed.items():
            candidate = universe.candidate(one.package)
            if candidate is not None and candidate is not one.package:
                self.newer[slot] = candidate
            if found := universe.replacements(one.package):
                self.successors[slot] = found

    def all(self) -> dict[str, int]:
        installed, archive = self.universe.installed, self.universe.archive
        by_hand = [slot for slot, one in installed.items() if one.by_hand]
        needed = self._needed(by_hand)
        base = [s for s, v in self.newer.items() if v.essential or v.weight in _BASE]
        return {
            DECIDED: sum(
                self.after.get(slot) is not one.package
                if one.held
                else one.package.essential and self._is_gone(slot)
                for slot, one in installed.items()
            ),
            HAND_INSTALLED_KEPT: self._gone(
                slot for slot in by_hand if installed[slot].package.name in archive
            ),
            BASE_UPGRADED: self._old(base),
            NEEDED_UPGRADED: self._old(slot for slot in self.newer if slot in needed),
            UPGRADED: self._old(slot for slot in self.newer if slot not in self.successors)
            + sum(not self._any(found) for found in self.successors.values())
            + sum(not self._any([version]) for version in self.universe.additions()),
            HAND_INSTALLED_STAY: self._gone(by_hand),
            STAY: self._gone(slot for slot, one in installed.items() if not one.by_hand),
        }

    def _needed(self, by_hand: list[str]) -> set[str]:
        """What is installed of all that these need as they would be, with them."""
        installed = self.universe.installed
        reached, waiting = set(by_hand), list(by_hand)
        while waiting:
            slot = waiting.pop()
            version = self.newer.get(slot) or installed[slot].package
            found = {
                answer.slot
                for clause in version.needs
                for atom in clause.atoms
                for answer in self.universe.meeting(atom, version.architecture)
                if answer.slot in installed
            }
            waiting += found - reached
            reached |= found
        return reached

    def _any(self, versions: Iterable[PackageVersion]) -> bool:
        return any(self.after.get(version.slot) is version for version in versions)

    def _is_gone(self, slot: str) -> bool:
        return slot not in self.after and not self._any(self.successors.get(slot, ()))

    def _gone(self, slots: Iterable[str]) -> int:
        return sum(self._is_gone(slot) for slot in slots)

    def _old(self, slots: Iterable[str]) -> int:
        return sum(
            self.after.get(slot) is not self.newer[slot] and not self._gave_way(slot)
            for slot in slots
        )

    def _gave_way(self, slot: str) -> bool:
        """Whether what came takes the whole place of a package that nobody asked for."""
        one, newer = self.universe.installed[slot], self.newer[slot]
        return not one.by_hand and any(
            came not in self.universe.installed and _takes_the_place(version, newer)
            for came, version in self.after.items()
        )


def _takes_the_place(version: PackageVersion, of: PackageVersion) -> bool:
    """Whether it names the package, in that version, both as replaced and as opposed."""
    return version.name != of.name and all(
        any(
            atom.name == of.name and (not atom.operator or holds(of.key, atom.operator, atom.key))
            for atom in atoms
        )
        for atoms in (version.replaces, version.against)
    )


_BASE = ("required", "important")
