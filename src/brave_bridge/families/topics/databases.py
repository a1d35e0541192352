"""Database clusters: those with settings of their own, and data wherever it usually stands.

PostgreSQL keeps the major version of a cluster's data in PG_VERSION (initdb(1)); Debian and
its kin keep settings in /etc/postgresql/VERSION/NAME (pg_createcluster(1)).
"""

import re

from brave_bridge.core.formats.text import counted, one_line
from brave_bridge.core.survey.databases import DatabaseCluster
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_SETTINGS = "/etc/postgresql/*/*/postgresql.conf"
_PLACES = (
    "/var/lib/postgresql/*/*",
    "/var/lib/pgsql/data",
    "/var/lib/pgsql/*/data",
    "/var/lib/postgres/data",
)
_SETTING = re.compile(r"^\s*(data_directory|port)\s*=\s*'?([^'#\n]+?)'?\s*(?:#.*)?$", re.MULTILINE)
_PATTERN = frozenset("*?[")
_MOST = 50

QUERIES: tuple[Query, ...] = (
    Contents((_SETTINGS,), 256 * 1024),
    Names(_PLACES),
    Contents(tuple(f"{place}/PG_VERSION" for place in _PLACES), 64),
)


def further(seen: Seen) -> tuple[Query, ...]:
    """The data that settings have elsewhere; what would be read as a pattern is left out."""
    named = (values.get("data_directory", "") for _, values in _settings(seen))
    places = [p for p in named if p.startswith("/") and not _PATTERN.intersection(p)][:_MOST]
    if not places:
        return ()
    return Names(tuple(places)), Contents(tuple(f"{place}/PG_VERSION" for place in places), 64)


def read(seen: Seen) -> tuple[tuple[DatabaseCluster, ...], Evidence]:
    """The clusters that hold data. Settings alone, whose data is gone, are none."""
    found: dict[str, DatabaseCluster] = {}
    for path, values in _settings(seen):
        version, name = path.split("/")[3:5]
        data = values.get("data_directory", f"/var/lib/postgresql/{version}/{name}")
        # Only root may look into it; that it is there is enough.
        if data in seen.found:
            version = seen.word(f"{data}/PG_VERSION") or version
            found[data] = DatabaseCluster(
                "PostgreSQL",
                one_line(version, 20),
                one_line(name, 60),
                one_line(data, 200),
                settings=path,
                port=one_line(values.get("port", ""), 10),
            )
    for place in (path for pattern in _PLACES for path in seen.paths(pattern)):
        version = one_line(seen.word(f"{place.path}/PG_VERSION"), 20)
        if version and place.path not in found:
            found[place.path] = DatabaseCluster(
                "PostgreSQL", version, "", one_line(place.path, 200)
            )
    clusters = tuple(list(found.values())[:_MOST])
    absent = "" if clusters else "no database cluster stands in the usual places"
    words = counted(len(clusters), "cluster")
    return clusters, Evidence("databases", "/etc/postgresql, /var/lib", words, absent=absent)


def _settings(seen: Seen) -> list[tuple[str, dict[str, str]]]:
    """Each file of settings, and what it says of data and port."""
    return [(path, dict(_SETTING.findall(text))) for path, text in seen.texts(_SETTINGS)]
