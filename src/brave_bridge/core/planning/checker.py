"""Whether a set of versions can stand together, told without the encoding.

A second opinion on every plan: it shares what packages say with the planner, and nothing of
how it reasons. Names are looked up afresh, every rule is asked of every version.
"""

from collections.abc import Iterable, Iterator, Mapping

import msgspec

from brave_bridge.core.packages.levels import DECIDED
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import Atom, Clause
from brave_bridge.core.planning.package_plan import PackagePlan


class Fault(msgspec.Struct, frozen=True):
    """Why a set cannot stand: which version is not as it must be, and what is amiss."""

    package: str
    what: str


def faults_of_plan(plan: PackagePlan, family: "Meaning | None" = None) -> list[Fault]:
    """Everything that is wrong with a plan; nothing where it is sound."""
    found = list(faults_of(plan.after, family or Meaning()))
    for slot, version in plan.after.items():
        if version.slot != slot:
            found.append(Fault(version.title, f"stands as {slot}"))
    decided = next((level for level in plan.levels if level.name == DECIDED), None)
    if decided is None or decided.failed:
        return found
    for slot, one in plan.before.items():
        after = plan.after.get(slot)
        if one.held and after is not one.package:
            found.append(Fault(one.package.title, "is held, and would change"))
        if one.package.essential and after is None:
            found.append(Fault(one.package.title, "is essential, and would go away"))
    return found


class Meaning(msgspec.Struct, frozen=True):
    """How a family reads relations; see ``Universe``."""

    by_architecture: bool = True
    versionless_provides: bool = False


def faults_of(after: Mapping[str, PackageVersion], family: Meaning) -> Iterator[Fault]:
    """What is wrong with versions that are to stand together."""
    chosen = _Chosen(after.values(), family)
    for version in after.values():
        for clause in version.needs:
            if not chosen.meets(clause, version):
                yield Fault(version.title, f"needs {clause.text}, which is not there")
        for atom in version.against:
            for other in chosen.opposed(atom, version):
                yield Fault(version.title, f"cannot stand beside {other.title}")
        for other in chosen.of_name(version.name):
            if other.architecture != version.architecture and not (
                version.together and version.version == other.version
            ):
                yield Fault(version.title, f"stands for {other.architecture} in {other.version}")


class _Chosen:
    """The versions that stand, by name and by what they provide."""

    def __init__(self, versions: Iterable[PackageVersion], family: Meaning) -> None:
        self._family = family
        self._by_name: dict[str, list[PackageVersion]] = {}
        self._providing: dict[str, list[tuple[PackageVersion, object]]] = {}
        for version in versions:
            self._by_name.setdefault(version.name, []).append(version)
            for provided in version.provides:
                self._providing.setdefault(provided.name, []).append((version, provided.key))

    def of_name(self, name: str) -> list[PackageVersion]:
        return self._by_name.get(name, [])

    def named(self, atom: Atom) -> Iterator[PackageVersion]:
        """Those that an atom names, whatever their architecture."""
        for version in self.of_name(atom.name):
            if _stands(version.key, atom):
                yield version
        for version, key in self._providing.get(atom.name, ()) if not atom.by_name else ():
            loose = key is None and self._family.versionless_provides
            if not atom.operator or loose or (key is not None and _stands(key, atom)):
                yield version

    def opposed(self, atom: Atom, asker: PackageVersion) -> Iterator[PackageVersion]:
        """Those that a version is against by an atom; itself it never is, of no architecture."""
        for version in self.named(atom):
            if not self._family.by_architecture:
                meant = version.slot != asker.slot
            elif version.name == asker.name:
                meant = False
            else:
                meant = (
                    atom.architecture in ("", "any") or version.architecture == atom.architecture
                )
            if meant:
                yield version

    def meets(self, clause: Clause, asker: PackageVersion) -> bool:
        if clause.unless and not all(any(self.named(atom)) for atom in clause.unless):
            return True
        return any(
            self._serves(version, atom, asker)
            for atom in clause.atoms
            for version in self.named(atom)
        )

    def _serves(self, version: PackageVersion, atom: Atom, asker: PackageVersion) -> bool:
        if not self._family.by_architecture:
            return True
        if atom.architecture == "any":
            return version.allowed
        if version.architecture == asker.architecture:
            return atom.architecture in ("", version.architecture)
        return (
            version.foreign
            if not atom.architecture
            else (version.architecture == atom.architecture)
        )


def _stands(have, atom: Atom) -> bool:
    """Whether a version is one that an atom asks for (deb-control(5), rpm and alpm alike)."""
    wanted = atom.key
    if isinstance(have, tuple) and isinstance(wanted, tuple):
        pairs = list(zip(have, wanted, strict=False))
        have, wanted = tuple(a for a, _ in pairs), tuple(b for _, b in pairs)
    match atom.operator:
        case "":
            return True
        case "<":
            return have < wanted
        case "<=":
            return have <= wanted
        case "=":
            return have == wanted
        case ">=":
            return have >= wanted
    return have > wanted
