"""Database clusters: found on the machine, and what their data stands and falls with."""

import pytest

from brave_bridge.core.survey.databases import DatabaseCluster, held_by_data
from brave_bridge.families.deb.clusters import with_needs
from brave_bridge.families.topics import databases
from brave_bridge.machines.queries import Seen
from brave_bridge.machines.tree import TreeMachine
from tests.support.facts import package


@pytest.fixture
def root(tmp_path):
    (tmp_path / "etc").mkdir()
    (tmp_path / "etc/os-release").write_text("ID=quayside\n")
    return tmp_path


def cluster(root, version: str, name: str = "main", *, settings: str = "", data: str = "") -> None:
    """A cluster as pg_createcluster(1) leaves it."""
    place = root / (data or f"/var/lib/postgresql/{version}/{name}").lstrip("/")
    place.mkdir(parents=True)
    (place / "PG_VERSION").write_text(f"{version}\n")
    etc = root / f"etc/postgresql/{version}/{name}"
    etc.mkdir(parents=True)
    (etc / "postgresql.conf").write_text(settings)


def found(root) -> list[DatabaseCluster]:
    machine = TreeMachine("tree", root)
    seen = Seen()
    seen.add(machine.files.gather(databases.QUERIES))
    seen.add(machine.files.gather(databases.further(seen)))
    clusters, evidence = databases.read(seen)
    assert bool(evidence.absent) is not bool(clusters)
    return list(clusters)


def test_the_cluster_with_the_data_is_named_not_the_newest_version(root):
    cluster(root, "13", settings="port = 5433\t\t# (change requires restart)\n#port = 1\n")
    (root / "etc/postgresql/15/main").mkdir(parents=True)
    (root / "etc/postgresql/15/main/postgresql.conf").write_text("port = 5432\n")
    (only,) = found(root)
    assert (only.title, only.port) == ("PostgreSQL 13 main", "5433")
    assert only.data == "/var/lib/postgresql/13/main" and only.package == "postgresql-13"


def test_data_elsewhere_is_found_and_its_own_version_counts(root):
    cluster(root, "13", settings="data_directory = '/srv/tide data'\n", data="/srv/tide data")
    (root / "srv/tide data/PG_VERSION").write_text("12\n")
    (only,) = found(root)
    assert (only.version, only.data) == ("12", "/srv/tide data")


def test_data_without_settings_apart_is_found(root):
    (root / "var/lib/pgsql/data").mkdir(parents=True)
    (root / "var/lib/pgsql/data/PG_VERSION").write_text("16\n")
    (only,) = found(root)
    assert only.title == "PostgreSQL 16"


def test_none_is_told_as_none(root):
    assert found(root) == []


def test_what_the_data_needs_is_held_and_nothing_besides():
    main = DatabaseCluster("PostgreSQL", "13", "main", "/data")
    packages = [
        package("postgresql-13", depends="libllvm11, postgresql-client-13"),
        package("postgresql-client-13", depends="libpq5 (>= 13)"),
        package("postgresql-13-gauge", depends="libgauge2 | libgauge1"),
        package("libllvm11"),
        package("libpq5"),
        package("libgauge1"),
        package("postgresql-15", depends="libllvm14"),
        package("libllvm14"),
    ]
    assert sorted(held_by_data([with_needs(main, packages)])) == [
        "libgauge1",
        "libllvm11",
        "libpq5",
        "postgresql-13",
        "postgresql-13-gauge",
        "postgresql-client-13",
    ]


@pytest.mark.parametrize("place", ["/srv/*/*", "/srv/[a]", "/srv/?"])
def test_a_place_that_would_be_read_as_a_pattern_is_not_asked_for(place):
    seen = Seen()
    settings = "/etc/postgresql/13/main/postgresql.conf"
    seen.contents[settings] = f"data_directory = '{place}'\n".encode()
    assert databases.further(seen) == ()
