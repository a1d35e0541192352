"""Settings: a program that accepted its own before and refuses them now would not start again."""

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
from brave_bridge.core.survey.program_settings import REFUSED
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name)
        if now is None:
            because = around.removal_of(name)
            verdict = EXPECTED if because else UNEXPLAINED
            yield point(before, name, old, "gone", verdict, "it is not here", because=because)
        elif old.startswith(REFUSED) == now.startswith(REFUSED):
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now.startswith(REFUSED):
            why = "with these settings it does not start again"
            yield point(before, name, old, now, REGRESSION, why, kind=SURFACE)
        else:
            yield point(before, name, old, now, BETTER, "it accepts its settings now")
    for name, now in after.values.items():
        if name not in before.values and now.startswith(REFUSED):
            why = "it is new, and does not start with its settings"
            yield point(before, name, "not there", now, UNEXPLAINED, why)
