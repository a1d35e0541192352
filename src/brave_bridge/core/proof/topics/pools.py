"""Pools, arrays and data sets: what is missing or not whole any more is a fault of the data."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen

_WHOLE = "ONLINE"
_ILL = ("DEGRADED", "FAULTED", "OFFLINE", "UNAVAIL", "SUSPENDED", "REMOVED")


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name)
        if now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now is None:
            yield point(before, name, old, "gone", REGRESSION, "it is not there", kind=DATA)
        elif now in _ILL:
            yield point(before, name, old, now, REGRESSION, "it is not whole", kind=DATA)
        elif now == _WHOLE and old in _ILL:
            yield point(before, name, old, now, BETTER, "it is whole again")
        else:
            yield point(before, name, old, now, UNEXPLAINED)
    for name, now in after.values.items():
        if name not in before.values:
            yield point(before, name, "not there", now or "there", EXPECTED)
