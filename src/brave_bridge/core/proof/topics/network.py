"""Network: a lost address, default route or every name server is worse; a renamed link is not."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
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
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name)
        if now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now is not None:
            why = "the link has another name" if name.startswith("address") else ""
            yield point(before, name, old, now, EXPECTED if why else UNEXPLAINED, why)
        else:
            yield _gone(before, after, name, old)
    for name, now in after.values.items():
        if name not in before.values:
            yield point(before, name, "not there", now, UNEXPLAINED)


def _gone(before: TopicSeen, after: TopicSeen, name: str, old: str) -> Difference:
    """An address may be another one of the same link; of servers and routes one must be left."""
    kind = _kind(name)
    same = [other for other in after.values if _kind(other) == kind]
    others = [other for other in same if other not in before.values]
    if kind in ("name server", "default route") and same:
        why = f"others are used: {', '.join(same[:3])}"
        return point(before, name, old, same[0], UNEXPLAINED, why)
    if kind == "address" and any(after.values[other] == old for other in others):
        why = f"{old} has another address"
        return point(before, name, old, others[0], UNEXPLAINED, why)
    return point(before, name, old, "gone", REGRESSION, "it is not there", kind=SURFACE)


def _kind(name: str) -> str:
    for kind in ("address", "default route", "name server"):
        if name.startswith(kind):
            return kind
    return name
