"""Units of the service manager: whether they start by themselves, and how they are."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, topic
from brave_bridge.machines.queries import Seen

NAME = "units"
QUERIES = ()
_PASSING = ("run-", "session-", "user@", "user-runtime-dir@", "systemd-coredump@", "getty@")
"""Beginnings of units that come and go with people and moments."""


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; each is ``STATE/SUB``, with ``enabled`` where it is."""
    activity = facts.activity
    why = facts.why_not("services")
    if why or not activity.units:
        return absent(NAME, "systemctl", why or "no service manager answers")
    enabled = set(activity.enabled)
    values = {
        unit.name: f"{unit.active}/{unit.sub}" + (" enabled" if unit.name in enabled else "")
        for unit in activity.units
        if not unit.name.startswith(_PASSING)
    }
    values |= {
        name: "unloaded enabled"
        for name in sorted(enabled)
        if name not in values and "@." not in name
    }
    return topic(NAME, values, "systemctl list-units, list-unit-files")
