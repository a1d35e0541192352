"""Firewall: rules that are gone, or a chain that lets through what it refused, is worse."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    BETTER,
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
    total_before, total_after = _total(before), _total(after)
    if total_before and not total_after:
        why = "no rule is in force any more: it is open"
        said = f"{total_before} rules"
        yield point(before, "firewall", said, "none", REGRESSION, why, kind=SURFACE)
        return
    for chain, old in before.values.items():
        now = after.values.get(chain)
        if now == old:
            yield Difference(chain, old, now, SAME, topic=before.name)
        elif now is not None and "drop" in old and "drop" not in now:
            why = "what no rule names is let through now"
            yield point(before, chain, old, now, REGRESSION, why, kind=SURFACE)
        elif now is None and _count(old):
            why = f"{total_after} rules are in force elsewhere"
            yield point(before, chain, old, "gone", UNEXPLAINED, why)
        elif now is not None:
            fewer = _count(now) < _count(old)
            yield point(before, chain, old, now, UNEXPLAINED if fewer else EXPECTED)
    if total_after and not total_before:
        yield point(before, "firewall", "none", f"{total_after} rules", BETTER)


def _count(text: str) -> int:
    number = text.partition(" ")[0]
    return int(number) if number.isdigit() else 0


def _total(topic: TopicSeen) -> int:
    return sum(map(_count, topic.values.values()))
