"""Which packages a database cluster's data stands and falls with."""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.packages.deb_package import clauses
from brave_bridge.core.survey.databases import DatabaseCluster


def with_needs(cluster: DatabaseCluster, packages: Iterable[InstalledPackage]) -> DatabaseCluster:
    """The cluster with its server, what goes with exactly its version, and what these need."""
    by_name = {package.name: package for package in packages if package.is_present}
    needed = {name for name in by_name if _goes_with(name, cluster)}
    waiting = list(needed)
    while waiting:
        wanted = {
            atom.name
            for clause in clauses(by_name[waiting.pop()].depends)
            for atom in clause.atoms
            if atom.name in by_name
        }
        waiting += wanted - needed
        needed |= wanted
    return msgspec.structs.replace(cluster, needs=tuple(sorted(needed)))


def _goes_with(package: str, cluster: DatabaseCluster) -> bool:
    words = package.split("-")
    return words[0] == cluster.package.partition("-")[0] and cluster.version in words[1:]
