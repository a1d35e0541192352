"""Disks, by what they are and not by the kernel's names for them: those may change at a boot."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, keys, point
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    Difference,
)
from brave_bridge.core.survey.platform import WELL
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name in keys(before, after):
        old, now = before.values.get(name), after.values.get(name)
        if old is None:
            yield point(before, name, "not there", now or "there", EXPECTED)
        elif now is None:
            why = "the kernel does not see it any more"
            yield point(before, name, old, "gone", REGRESSION, why, kind=DATA)
        elif now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now == WELL:
            yield point(before, name, old, now, BETTER)
        else:
            why = "save what it holds before it is lost"
            yield point(before, name, old, now, REGRESSION, why, kind=DATA)
