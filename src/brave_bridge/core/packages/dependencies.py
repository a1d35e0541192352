"""Whether what installed packages depend on is there (deb-control(5), Debian Policy 7)."""

import re
from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.versions.deb import version_key

_RELATION = re.compile(
    r"^\s*([a-zA-Z0-9][a-zA-Z0-9.+-]*)(?::([a-z0-9-]+))?"
    r"\s*(?:\(\s*(<<|<=|=|>=|>>|<|>)\s*([^\s)]+)\s*\))?"
)


class Relation(msgspec.Struct, frozen=True):
    """One alternative of a dependency; ``operator`` is empty where any version will do."""

    name: str
    operator: str = ""
    version: str = ""


class Unmet(msgspec.Struct, frozen=True):
    """A dependency of an installed package that nothing meets, as it is written."""

    package: str
    needs: str


def read_relation(text: str) -> Relation | None:
    """One alternative; None where it is not one."""
    match = _RELATION.match(text)
    return Relation(match[1], match[3] or "", match[4] or "") if match else None


def holds(have: str, operator: str, wanted: str) -> bool:
    """Whether a version stands in a relation to another."""
    left, right = version_key(have), version_key(wanted)
    return {
        "<<": left < right,
        "<": left <= right,
        "<=": left <= right,
        "=": left == right,
        ">=": left >= right,
        ">": left >= right,
        ">>": left > right,
    }[operator]


def unmet_dependencies(packages: Iterable[InstalledPackage]) -> Iterator[Unmet]:
    """The dependencies of installed packages that no installed package meets."""
    present = [package for package in packages if package.is_present]
    versions: dict[str, list[str]] = {}
    provided: dict[str, list[str]] = {}
    for package in present:
        versions.setdefault(package.name, []).append(package.version)
        for text in package.provides.split(",") if package.provides else ():
            relation = read_relation(text)
            if relation:
                provided.setdefault(relation.name, []).append(relation.version)
    known: dict[str, bool] = {}
    for package in present:
        for clause in package.depends.split(",") if package.depends else ():
            clause = clause.strip()
            if clause and clause not in known:
                known[clause] = _is_met(clause, versions, provided)
            if clause and not known[clause]:
                yield Unmet(package.name, clause)


def _is_met(clause: str, versions: dict[str, list[str]], provided: dict[str, list[str]]) -> bool:
    for text in clause.split("|"):
        relation = read_relation(text)
        if relation is None:
            return True
        have = versions.get(relation.name, ())
        if not relation.operator and (have or relation.name in provided):
            return True
        # A version asks for the package itself or for something provided in a version.
        offered = [*have, *(v for v in provided.get(relation.name, ()) if v)]
        if any(holds(version, relation.operator, relation.version) for version in offered
               if relation.operator):  # fmt: skip
            return True
    return False
