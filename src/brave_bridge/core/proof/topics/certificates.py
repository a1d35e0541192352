"""Certificates: one that has ended, or is not there any more, is worse."""

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
    """See the package's description; a day in ISO 8601 is later where its text is."""
    today = f"until {around.today}"
    for path, old in before.values.items():
        now = after.values.get(path)
        if now is not None and now < today:
            why = "it has ended: clients refuse it"
            verdict = UNEXPLAINED if old < today and old == now else REGRESSION
            yield point(before, path, old, now, verdict, why, kind=SURFACE)
        elif now == old:
            yield Difference(path, old, now, SAME, topic=before.name)
        elif now is None:
            why = "it is not there any more"
            yield point(before, path, old, "gone", REGRESSION, why, kind=SURFACE)
        else:
            yield point(before, path, old, now, EXPECTED if now > old else UNEXPLAINED)
    for path, now in after.values.items():
        if path not in before.values:
            yield point(before, path, "not there", now, EXPECTED)
