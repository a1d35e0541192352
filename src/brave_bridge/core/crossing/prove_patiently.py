"""A proof that gives a machine time: what may only be late is waited for, and read again."""

from collections.abc import Callable, Iterator

from brave_bridge.core.crossing.replies import FactsRead, Reply
from brave_bridge.core.crossing.requests import LetPass, ReadFacts, Script
from brave_bridge.core.formats.text import shortened
from brave_bridge.core.proof.checks import MINOR_TOPIC, TOPIC, OwnCheck
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.difference import NOT_READ, Difference
from brave_bridge.core.survey.facts import Facts

PAUSES = (5, 15, 40)
"""Seconds that are let pass before what is worse is read again, one after the other."""

STARTING_SECONDS, STARTING_MOST = 15, 60
"""The pause while the service manager still starts what belongs to the boot, and how many."""

_COMES_UP_LATE = ("units", "ports", "answers", "mounts", "pools", "guests", "network", "clock")

Proved = tuple[Facts, Proof]
"""The facts that were read last, and the proof of them."""


def prove_patiently(
    before: Facts | None, judged: Callable[[Facts], Proof], checks: tuple[OwnCheck, ...] = ()
) -> Script[Proved | Reply]:
    """Read a machine and judge it, again while something may only not be up yet.

    The reply where it could not be read. ``before`` is its baseline, where one is known.
    """
    pauses, starting = iter(PAUSES), STARTING_MOST
    answered = answered_in(before)
    while True:
        reply = yield from ReadFacts(
            title="Read the machine again", whole=True, answered=answered, checks=checks
        )
        if not isinstance(reply, FactsRead):
            return reply
        facts, proof = reply.facts, judged(reply.facts)
        late = tuple(_may_be_late(proof)) if facts.runs else ()
        if not late:
            return facts, proof
        if facts.activity.is_starting and starting:
            starting, pause = starting - 1, STARTING_SECONDS
        elif not (pause := next(pauses, 0)):
            return facts, proof
        names = ", ".join(shortened([one.subject for one in late], 3))
        yield from LetPass(title=f"Give it time: {names}", seconds=pause)


def answered_in(before: Facts | None) -> dict[str, str]:
    """What the ports of a baseline did when somebody connected, by their names."""
    return before.values_of("answers") if before else {}


def _may_be_late(proof: Proof) -> Iterator[Difference]:
    late = (*_COMES_UP_LATE, TOPIC, MINOR_TOPIC)
    for one in (*proof.worse, *proof.not_read):
        if one.verdict == NOT_READ or one.topic in late:
            yield one
