"""Shares: one that is not offered any more is a fault of the data."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, by_name
from brave_bridge.core.proof.difference import DATA, Difference
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    yield from by_name(before, after, kind=DATA)
