"""What answers: somebody listens there as before, and does not answer any more."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import BETTER, DATA, EXPECTED, REGRESSION, SAME, Difference
from brave_bridge.core.survey.knock import OUTCOMES, REFUSES, SILENT, TAKES
from brave_bridge.core.survey.topic import TopicSeen

_WHY = {
    TAKES: "it spoke to whoever connected, and is silent now",
    SILENT: "somebody listens there, and takes no connection",
    REFUSES: "somebody listens there, and refuses connections",
}


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description; a port that is not there any more is told by the ports."""
    for port, old in before.values.items():
        now = after.values.get(port)
        if now is None or now == old:
            yield Difference(port, old, now or old, SAME, topic=before.name)
        elif _rank(now) < _rank(old):
            why = _WHY.get(now, "it does not answer as before")
            yield point(before, port, old, now, REGRESSION, why, kind=DATA)
        elif old in (SILENT, REFUSES):
            yield point(before, port, old, now, BETTER, "it did not answer before")
        else:
            yield point(before, port, old, now, EXPECTED, "it has the first word now")


def _rank(outcome: str) -> int:
    return OUTCOMES.index(outcome) if outcome in OUTCOMES else 0
