"""How the stand-in's package manager decides: small, and right for small archives.

It keeps to what apt-get(8) promises: ``upgrade`` removes nothing and adds nothing;
``full-upgrade`` may do both, never removes what is essential or held, and keeps back
what cannot be satisfied.
"""

import re

import msgspec

from brave_bridge.core.versions.deb import version_key

Stanza = dict[str, str]

_CLAUSE = re.compile(
    r"^\s*(?P<name>[a-z0-9][a-z0-9+.-]*)(?::\w+)?\s*(?:\((?P<op><<|<=|=|>=|>>)\s*(?P<version>[^)]+)\))?"
)
_MAX_ROUNDS = 400


class Solution(msgspec.Struct):
    """What changes: packages by name. ``kept`` have a newer version that is left aside."""

    changed: dict[str, Stanza]
    removed: set[str]
    kept: set[str]


def clauses(text: str) -> list[list[tuple[str, str, str]]]:
    """A relation field: clauses of alternatives, each (name, operator, version)."""
    found = []
    for clause in text.split(","):
        options = [_CLAUSE.match(option) for option in clause.split("|")]
        row = [(m["name"], m["op"] or "", (m["version"] or "").strip()) for m in options if m]
        if row:
            found.append(row)
    return found


def satisfies(version: str, operator: str, wanted: str) -> bool:
    """Whether a version stands in that relation to another (deb-version(7))."""
    if not operator:
        return True
    left, right = version_key(version), version_key(wanted)
    return {
        "<<": left < right,
        "<=": left <= right,
        "=": left == right,
        ">=": left >= right,
        ">>": left > right,
    }[operator]


def newest_candidates(offered: list[Stanza]) -> dict[str, Stanza]:
    """The newest offered version of each package."""
    newest: dict[str, Stanza] = {}
    for stanza in offered:
        known = newest.get(stanza["Package"])
        if known is None or version_key(stanza["Version"]) > version_key(known["Version"]):
            newest[stanza["Package"]] = stanza
    return newest


class CannotChoose(Exception):
    """What was asked for cannot stand; the message tells each violated relation."""


def exactly(words: list[str], installed: dict[str, Stanza], offered: list[Stanza]) -> Solution:
    """What ``name=version`` and ``name-`` ask for, nothing else; CannotChoose where it breaks."""
    versions = {(stanza["Package"], stanza["Version"]): stanza for stanza in offered}
    changed, removed = {}, set()
    for word in words:
        name, _, version = word.partition("=")
        if not version:
            removed.add(name.removesuffix("-"))
        elif (name, version) not in versions:
            raise CannotChoose(f"E: Version '{version}' for '{name}' was not found")
        elif installed.get(name, {}).get("Version") != version:
            changed[name] = versions[name, version]
    removed &= installed.keys()
    system = {n: s for n, s in {**installed, **changed}.items() if n not in removed}
    resolver = Resolver(system, set(), offered)
    faults = resolver.faults()
    faults += [f" {n} : Breaks: {o}" for n in sorted(system) for o in resolver.opposed(n, system)]
    if faults:
        raise CannotChoose("The following packages have unmet dependencies:\n" + "\n".join(faults))
    kept = set(Resolver(installed, set(), offered).upgradable) - changed.keys() - removed
    return Solution(changed, removed, kept)


class Resolver:
    """One decision over an installed system and what its archives offer."""

    def __init__(self, installed: dict[str, Stanza], held: set[str], offered: list[Stanza]) -> None:
        self.installed = installed
        self.held = held
        self.needed: set[str] = set()
        self.candidates = newest_candidates(offered)
        self.upgradable = {
            name: candidate
            for name, candidate in self.candidates.items()
            if name in installed
            and version_key(candidate["Version"]) > version_key(installed[name]["Version"])
        }

    def upgrade(self) -> Solution:
        """Upgrade what needs nothing removed and nothing new."""
        changed = {n: c for n, c in self.upgradable.items() if n not in self.held}
        for _ in range(_MAX_ROUNDS):
            system = {**self.installed, **changed}
            bad = self._first_fault(system)
            if bad is None:
                break
            culprits = [name for name in bad if name in changed]
            if not culprits:
                break
            del changed[culprits[0]]
        return Solution(changed, set(), set(self.upgradable) - changed.keys())

    def _first_fault(self, system: dict[str, Stanza]) -> tuple[str, ...] | None:
        """The packages at odds in the first violated relation, or None."""
        for name in sorted(system):
            for clause in self._needs(system[name]):
                if not self._met(clause, system):
                    # Either the needing package moves too early, or what it needed moved away.
                    movers = [option[0] for option in clause]
                    return (name, *movers)
            for other in self.opposed(name, system):
                return (name, other)
        return None

    @staticmethod
    def _needs(stanza: Stanza) -> list[list[tuple[str, str, str]]]:
        return clauses(stanza.get("Pre-Depends", "")) + clauses(stanza.get("Depends", ""))

    def _met(self, clause: list[tuple[str, str, str]], system: dict[str, Stanza]) -> bool:
        return any(
            (name in system and satisfies(system[name]["Version"], operator, version))
            or (not operator and any(name in self._provides(s) for s in system.values()))
            for name, operator, version in clause
        )

    @staticmethod
    def _provides(stanza: Stanza) -> set[str]:
        text = stanza.get("Provides")
        return {row[0][0] for row in clauses(text)} if text else set()

    def opposed(self, name: str, system: dict[str, Stanza]) -> list[str]:
        """The packages of the system that a package cannot stand beside."""
        against = clauses(system[name].get("Breaks", "")) + clauses(
            system[name].get("Conflicts", "")
        )
        found = []
        for row in against:
            other, operator, version = row[0]
            if other == name:
                continue
            if other in system and satisfies(system[other]["Version"], operator, version):
                found.append(other)
        return found

    def full_upgrade(self) -> Solution:
        """Upgrade everything that can be, adding and removing what that takes."""
        changed = {n: c for n, c in self.upgradable.items() if n not in self.held}
        removed: set[str] = set()
        refused: set[str] = set(self.held)
        for _ in range(_MAX_ROUNDS):
            if not self._improve(changed, removed, refused):
                break
        kept = {n for n in self.upgradable if n not in changed and n not in removed}
        return Solution(changed, removed, kept)

    def _improve(self, changed: dict[str, Stanza], removed: set[str], refused: set[str]) -> bool:
        """Mend the first violated relation; False where there is none."""
        system = {n: s for n, s in {**self.installed, **changed}.items() if n not in removed}
        for name in sorted(system):
            for clause in self._needs(system[name]):
                if not self._met(clause, system):
                    self._mend_need(name, clause, changed, removed, refused)
                    return True
            for other in self.opposed(name, system):
                self._mend_opposition(name, other, changed, removed, refused)
                return True
        return False

    def _mend_need(self, name, clause, changed, removed, refused) -> None:
        for option, operator, version in clause:
            candidate = self.candidates.get(option)
            fits = candidate is not None and satisfies(candidate["Version"], operator, version)
            if fits and option not in refused and option not in removed:
                changed[option] = candidate
                return
        if self._is_precious(name) and name not in changed:
            self._keep_for(clause, changed, removed, refused)
        self._give_up(name, changed, removed, refused)

    def _keep_for(self, clause, changed, removed, refused) -> None:
        """Let what a precious package needs stay as it is; whoever is against it gives way."""
        for option, _, _ in clause:
            if option in self.installed and (option in removed or option in changed):
                removed.discard(option)
                changed.pop(option, None)
                refused.add(option)
                self.needed.add(option)

    def _mend_opposition(self, name, other, changed, removed, refused) -> None:
        if self._is_precious(other) or other in refused:
            self._give_up(name, changed, removed, refused)
        else:
            changed.pop(other, None)
            refused.add(other)
            removed.add(other)

    def _give_up(self, name, changed, removed, refused) -> None:
        """Keep a package back where it was to change; remove it where it cannot stay."""
        refused.add(name)
        if name in changed:
            del changed[name]
        elif self._is_precious(name):
            for other in [c for c in changed if c != name]:
                if name in self.opposed(other, {**self.installed, **changed}):
                    del changed[other]
                    refused.add(other)
        else:
            removed.add(name)

    def _is_precious(self, name: str) -> bool:
        essential = self.installed.get(name, {}).get("Essential") == "yes"
        return essential or name in self.held or name in self.needed

    def faults(self) -> list[str]:
        """The violated relations of the installed system, a line each."""
        found = []
        for name in sorted(self.installed):
            for clause in self._needs(self.installed[name]):
                if not self._met(clause, self.installed):
                    found.append(f" {name} : Depends: {clause[0][0]} but it is not installed")
        return found
