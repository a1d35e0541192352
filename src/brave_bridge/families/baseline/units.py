"""Units of the service manager: whether they start by themselves, and how they are."""

from brave_bridge.core.survey.activity import WHETHER_IT_STARTS
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.own_parts import is_own_unit
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, no_answer, topic, unread
from brave_bridge.families.topics.activity import UNIT_FILES, UNITS
from brave_bridge.machines.queries import Seen

NAME = "units"
QUERIES = ()
_WHERE = "systemctl list-units, list-unit-files"
_PASSING = ("run-", "session-", "user@", "user-runtime-dir@", "systemd-coredump@", "getty@")
"""Beginnings of units that come and go with people and moments."""


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; each is ``STATE/SUB``, with ``enabled`` where it is.

    Where nobody told what starts by itself, each says so.
    """
    if not facts.runs:
        return absent(NAME, _WHERE, AT_REST)
    activity = facts.activity
    if not activity.units:
        why = no_answer(seen, UNITS) if UNITS[0] in activity.unread else ""
        if why:
            return unread(NAME, _WHERE, why)
        return absent(NAME, _WHERE, facts.why_not("services") or "no service manager answers")
    not_listed = no_answer(seen, UNIT_FILES)
    enabled = set(activity.enabled)
    values = {
        unit.name: f"{unit.active}/{unit.sub}"
        + (f" {WHETHER_IT_STARTS}" if not_listed else " enabled" if unit.name in enabled else "")
        for unit in activity.units
        if not unit.name.startswith(_PASSING) and not is_own_unit(unit.name)
    }
    values |= {
        name: "unloaded enabled"
        for name in sorted(enabled)
        if name not in values and "@." not in name and not is_own_unit(name)
    }
    return topic(NAME, values, _WHERE, not_listed and f"which start by themselves: {not_listed}")
