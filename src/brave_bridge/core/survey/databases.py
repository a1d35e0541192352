"""Database clusters: who holds data, and which packages that data stands and falls with."""

from collections.abc import Iterable

import msgspec


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
    needs: tuple[str, ...] = ()
    """The installed packages that its data cannot do without, by name."""

    @property
    def title(self) -> str:
        """How it is called on the screen."""
        return f"{self.server} {self.version} {self.name}".strip()

    @property
    def package(self) -> str:
        """The package that can read its data, as Debian and its kin name it."""
        return f"postgresql-{self.version}"


def held_by_data(clusters: Iterable[DatabaseCluster]) -> dict[str, DatabaseCluster]:
    """The packages that a cluster cannot do without, each with one such cluster."""
    return {name: cluster for cluster in clusters for name in cluster.needs}
