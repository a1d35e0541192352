"""Database clusters: who holds data, and which packages that data stands and falls with."""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.packages.deb_package import clauses


class DatabaseCluster(msgspec.Struct, frozen=True):
    """One cluster of a database server. ``version`` is the major one that its data is of.

    ``port`` is empty where it is not told, ``settings`` where there are none apart.
    """

    server: str
    version: str
    name: str
    data: str
    settings: str = ""
    port: str = ""

    @property
    def title(self) -> str:
        """How it is called on the screen."""
        return f"{self.server} {self.version} {self.name}".strip()

    @property
    def package(self) -> str:
        """The package that can read its data, as Debian and its kin name it."""
        return f"postgresql-{self.version}"


def held_by_data(
    clusters: Iterable[DatabaseCluster], packages: Iterable[InstalledPackage]
) -> dict[str, DatabaseCluster]:
    """The installed packages that a cluster cannot do without, each with one such cluster.

    Those are its server, what goes with exactly this major version (extensions, clients), and
    what these need in turn.
    """
    by_name = {package.name: package for package in packages if package.is_present}
    held: dict[str, DatabaseCluster] = {}
    for cluster in clusters:
        own = [name for name in by_name if _is_of(name, cluster)]
        waiting = [name for name in own if name not in held]
        held.update(dict.fromkeys(waiting, cluster))
        while waiting:
            for clause in clauses(by_name[waiting.pop()].depends):
                for atom in clause.atoms:
                    if atom.name in by_name and atom.name not in held:
                        held[atom.name] = cluster
                        waiting.append(atom.name)
    return held


def _is_of(package: str, cluster: DatabaseCluster) -> bool:
    words = package.split("-")
    return words[0] == cluster.package.partition("-")[0] and cluster.version in words[1:]
