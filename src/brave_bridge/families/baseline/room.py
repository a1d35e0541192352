"""Room on the file systems that the system stands on."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import topic
from brave_bridge.machines.queries import Seen

NAME = "room"
QUERIES = ()


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; each is what is free, in percent."""
    values = {
        space.path: f"{100 * space.free_bytes // space.total_bytes} % free"
        for space in facts.space
        if space.total_bytes
    }
    return topic(NAME, values, "statvfs")
