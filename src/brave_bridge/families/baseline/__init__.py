"""The topics of a baseline, one module each: what it asks for, and what it makes of the answers.

Every module has ``NAME``, ``QUERIES`` (asked in the first round of a survey) and ``read``, which
makes the topic of the facts and of what was seen. A topic that cannot be read says why.
"""

from collections.abc import Iterator
from types import ModuleType

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline import (
    accounts,
    answers,
    certificates,
    clock,
    defaults,
    devices,
    disks,
    firewall,
    guests,
    interpreters,
    jobs,
    mounts,
    network,
    packages,
    pools,
    ports,
    printers,
    room,
    sessions,
    settings,
    shares,
    sound_and_video,
    system,
    units,
)
from brave_bridge.machines.queries import Query, Seen

TOPICS: tuple[ModuleType, ...] = (
    system,
    packages,
    defaults,
    units,
    settings,
    ports,
    answers,
    mounts,
    room,
    disks,
    pools,
    shares,
    guests,
    jobs,
    interpreters,
    accounts,
    network,
    firewall,
    sessions,
    sound_and_video,
    printers,
    devices,
    certificates,
    clock,
)
"""In the order in which a person reads them."""


def queries(answered: dict[str, str]) -> tuple[Query, ...]:
    """All that the topics ask for beyond a survey; see ``answers`` for what answered before."""
    asked = tuple(query for topic in TOPICS for query in topic.QUERIES)
    return (*asked, answers.query(answered))


def read_topics(facts: Facts, seen: Seen) -> Iterator[TopicSeen]:
    """The topics of a machine."""
    for topic in TOPICS:
        yield topic.read(facts, seen)
