"""Guests and containers, and whether they are at work."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, no_answer, topic, unread
from brave_bridge.families.topics.activity import MANAGERS
from brave_bridge.machines.queries import Seen

NAME = "guests"
QUERIES = ()


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    silent = no_answer(seen, *MANAGERS) if facts.runs else ""
    if why := facts.why_not("guests"):
        return unread(NAME, "", silent) if silent else absent(NAME, "", why)
    values = {
        f"{guest.name} ({guest.manager})": "running" if guest.is_running else "off"
        for guest in facts.activity.guests
    }
    return topic(NAME, values, facts.where("guests"), silent)
