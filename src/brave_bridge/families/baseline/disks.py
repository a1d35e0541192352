"""Disks with their health, by their own marks; a kernel may call them otherwise at each boot."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import WELL
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, topic
from brave_bridge.machines.queries import Query, Seen

NAME = "disks"
QUERIES: tuple[Query, ...] = ()


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    if not facts.runs:
        return absent(NAME, "/sys/block", AT_REST)
    # Several ways may lead to one disk: what is wrong with any of them is told.
    values = {
        f"disk {disk.mark or disk.name}": disk.illness or WELL
        for disk in sorted(facts.disks, key=lambda disk: bool(disk.illness))
        if not disk.is_made_of_others and not disk.is_removable
    }
    return topic(NAME, values, "/sys/block, smartctl")
