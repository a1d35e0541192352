"""Sound cards, screens and cameras: one that is not served any more is worse."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, keys, point
from brave_bridge.core.proof.difference import (
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description; a screen may have been unplugged, a card has another name."""
    for name in keys(before, after):
        old, now = before.values.get(name, ""), after.values.get(name, "")
        if old and now:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now:
            yield point(before, name, "none", now, EXPECTED)
        elif name.startswith("screen "):
            why = "it is not seen now: unplugged, switched off, or without a driver"
            yield point(before, name, old, "gone", UNEXPLAINED, why)
        else:
            why = "the kernel that runs does not serve it"
            yield point(before, name, old, "gone", REGRESSION, why, kind=SURFACE)
