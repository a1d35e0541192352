"""The clock: whether somebody keeps it right, and its zone."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, no_answer, topic, unread
from brave_bridge.families.topics.activity import CLOCK
from brave_bridge.machines.queries import Seen

NAME = "clock"
QUERIES = ()


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    clock, why = facts.activity.clock, facts.why_not("clock")
    if facts.runs and (silent := no_answer(seen, CLOCK)):
        return unread(NAME, "timedatectl", silent)
    if why or clock.synchronised is None:
        return absent(NAME, "timedatectl", why or "nobody tells whether it is set")
    values = {"time": "kept right" if clock.synchronised else "not synchronised"}
    values |= {"zone": clock.zone} if clock.zone else {}
    return topic(NAME, values, "timedatectl")
