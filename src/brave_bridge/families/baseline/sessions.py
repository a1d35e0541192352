"""The desktop sessions that are offered at the login (Desktop Entry Specification)."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Names, Seen

NAME = "login sessions"
_FOLDERS = ("/usr/share/xsessions", "/usr/share/wayland-sessions")
QUERIES = (Names(tuple(f"{folder}/*.desktop" for folder in _FOLDERS)),)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    values = {}
    for folder in _FOLDERS:
        for found in seen.paths(f"{folder}/*.desktop"):
            kind = "wayland" if "wayland" in folder else "x11"
            name = found.path.rpartition("/")[2].removesuffix(".desktop")
            values[f"{name} ({kind})"] = "offered"
    closed = not_read(seen, (f"{folder}*" for folder in _FOLDERS))
    return topic(NAME, values, ", ".join(_FOLDERS), closed)
