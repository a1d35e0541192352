"""Whether what installed packages depend on is there (deb-control(5), Debian Policy 7)."""

from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.packages.deb_package import clauses, provided
from brave_bridge.core.packages.relation import Clause, Key, holds
from brave_bridge.core.versions.deb import version_key


class Unmet(msgspec.Struct, frozen=True):
    """A dependency of an installed package that nothing meets, as it is written."""

    package: str
    needs: str


def unmet_dependencies(packages: Iterable[InstalledPackage]) -> Iterator[Unmet]:
    """The dependencies of installed packages that no installed package meets."""
    present = [package for package in packages if package.is_present]
    offered: dict[str, list[Key]] = {}
    for package in present:
        offered.setdefault(package.name, []).append(version_key(package.version))
        for other in provided(package.provides):
            offered.setdefault(other.name, []).append(other.key)
    known: dict[str, bool] = {}
    for package in present:
        for clause in clauses(package.depends):
            if clause.text not in known:
                known[clause.text] = _is_met(clause, offered)
            if not known[clause.text]:
                yield Unmet(package.name, clause.text)


def _is_met(clause: Clause, offered: dict[str, list[Key]]) -> bool:
    """Whether some alternative is there; what cannot be read is not held against anybody."""
    if not clause.atoms:
        return True
    for atom in clause.atoms:
        for key in offered.get(atom.name, ()):
            # A version asks for the package itself or for something provided in a version.
            if not atom.operator or (key is not None and holds(key, atom.operator, atom.key)):
                return True
    return False
