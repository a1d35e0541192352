"""Room: a file system that is nearly full now and was not is worse."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import DATA, REGRESSION, SAME, Difference
from brave_bridge.core.survey.topic import TopicSeen

_LEAST_PERCENT = 3


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for path, old in before.values.items():
        now = after.values.get(path, "")
        left = _percent(now)
        if now and left < _LEAST_PERCENT <= _percent(old):
            yield point(before, path, old, now, REGRESSION, "it is nearly full", kind=DATA)
        else:
            yield Difference(path, old, now, SAME, topic=before.name)


def _percent(text: str) -> int:
    number = text.partition(" ")[0]
    return int(number) if number.isdigit() else 100
