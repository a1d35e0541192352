"""Devices: one without the driver that it had is worse, one that got a driver is better."""

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

_NONE = "no driver"


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    kept = set(after.values)
    for name, old in before.values.items():
        now = after.values.get(name)
        if now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif name.startswith("module ") and now is None:
            why = "it is of no kernel's own tree: it was not built or not loaded for this one"
            yield point(before, name, old, "not loaded", REGRESSION, why, kind=SURFACE)
        elif now == _NONE:
            why = "the kernel that runs has no driver for it"
            yield point(before, name, old, now, REGRESSION, why, kind=SURFACE)
        elif now is not None and old == _NONE:
            yield point(before, name, old, now, BETTER, "it has a driver now")
        elif now is not None:
            yield point(before, name, old, now, UNEXPLAINED, "another driver serves it")
        elif old != _NONE:
            yield point(before, name, old, "gone", UNEXPLAINED, "the device is not there now")
    for name in sorted(kept - set(before.values)):
        if name.startswith("device ") and after.values[name] != _NONE:
            yield point(before, name, "not there", after.values[name], UNEXPLAINED)
