"""Mounts and swap: what is not mounted any more is worse, and data is what is not reached."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for path, old in before.values.items():
        now = after.values.get(path)
        if now == old:
            yield Difference(path, old, now, SAME, topic=before.name)
        elif now is None and path.startswith("swap ") and _swaps(after):
            yield point(before, path, old, "another", UNEXPLAINED, "swap is elsewhere now")
        elif now is None:
            kind = SURFACE if path.startswith("swap ") else DATA
            why = "there is no swap any more" if kind == SURFACE else "it is not mounted"
            yield point(before, path, old, "gone", REGRESSION, why, kind=kind)
        else:
            yield point(before, path, old, now, UNEXPLAINED, "it comes from elsewhere now")
    for path, now in after.values.items():
        if path not in before.values:
            yield point(before, path, "not mounted", now, EXPECTED)


def _swaps(topic: TopicSeen) -> bool:
    return any(name.startswith("swap ") for name in topic.values)
