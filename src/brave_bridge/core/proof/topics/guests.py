"""Guests: one that was at work and is not, or is not known any more, is worse."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name, "gone")
        if now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now == "running":
            yield point(before, name, old, now, BETTER, "it is at work now")
        else:
            why = "nobody knows it any more" if now == "gone" else "it is not at work"
            yield point(before, name, old, now, REGRESSION, why, kind=DATA)
    for name, now in after.values.items():
        if name not in before.values:
            yield point(before, name, "not there", now, EXPECTED)
