"""Interpreters of scripts: one that is gone is worse, each with the scripts that it ran."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, keys, point
from brave_bridge.core.proof.difference import EXPECTED, REGRESSION, SAME, SURFACE, Difference
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description; the values are the first of their scripts."""
    for name in keys(before, after):
        users = before.values.get(name, "")
        if name in before.values and name not in after.values:
            why = f"scripts run by it: {users}"
            yield point(before, name, "there", "gone", REGRESSION, why, kind=SURFACE)
        elif name in after.values and name not in before.values:
            yield point(before, name, "none", "there", EXPECTED)
        else:
            yield Difference(name, "there", "there", SAME, topic=before.name)
