"""Own checks: one that fails and did not, or tells something else than before, is worse."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.checks import FAILS, MINOR_TOPIC
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    REGRESSION,
    SAME,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    worse = UNEXPLAINED if before.name == MINOR_TOPIC else REGRESSION
    for name, old in before.values.items():
        now = after.values.get(name, "not asked")
        if now.startswith(FAILS) and old.startswith(FAILS):
            why = "it failed before as well"
            yield point(before, name, old, now, UNEXPLAINED, why)
        elif now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif old.startswith(FAILS):
            yield point(before, name, old, now, BETTER, "it failed before")
        else:
            why = "it fails" if now.startswith(FAILS) else "it tells something else than before"
            yield point(before, name, old, now, worse, why, kind=DATA)
