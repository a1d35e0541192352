"""The clock: one that nobody keeps right any more is worse."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    BETTER,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen

_RIGHT = "kept right"


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name, "not known")
        if now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif name == "time" and old == _RIGHT:
            why = "nobody keeps the clock right: signatures and logs go wrong with it"
            yield point(before, name, old, now, REGRESSION, why, kind=SURFACE)
        elif name == "time":
            yield point(before, name, old, now, BETTER)
        else:
            yield point(before, name, old, now, UNEXPLAINED)
