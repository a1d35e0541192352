"""Ports: one that nobody listens at any more is worse; one that moved is known by its program."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen

_BY_SOCKET = ("systemd", "init", "inetd", "xinetd")


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    fresh = {port: who for port, who in after.values.items() if port not in before.values}
    moved: set[str] = set()
    for port, program in before.values.items():
        now = after.values.get(port)
        if now is not None:
            yield _still(before, port, program, now)
            continue
        target = next((p for p, who in fresh.items() if program and who == program), "")
        if target:
            moved.add(target)
            why = f"{program} listens at {target} now"
            yield point(before, port, program, target, UNEXPLAINED, why)
        elif because := around.removal_of(program):
            yield point(before, port, program, "gone", EXPECTED, "by the plan", because=because)
        else:
            why = f"{program or 'somebody'} listened there, and nobody does"
            yield point(before, port, program, "gone", REGRESSION, why, kind=DATA)
    for port, program in fresh.items():
        if port not in moved:
            why = f"{program or 'somebody'} listens there now"
            yield point(before, port, "closed", program or "open", UNEXPLAINED, why)


def _still(topic: TopicSeen, port: str, program: str, now: str) -> Difference:
    if program == now or not program or not now:
        return Difference(port, program, now, SAME, topic=topic.name)
    why = "another program listens there"
    if now in _BY_SOCKET:
        why = "the service manager listens there for it"
    return point(topic, port, program, now, EXPECTED, why)
