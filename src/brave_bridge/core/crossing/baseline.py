"""The baseline of a crossing: the machine as it is before anything of it is touched."""

import msgspec

from brave_bridge.core.crossing.replies import FactsRead
from brave_bridge.core.crossing.requests import ReadFacts, Script
from brave_bridge.core.crossing.stage import what_was_seen
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.program_settings import TOPIC, refused


class NoBaseline(msgspec.Struct, frozen=True):
    """Why there is none, and what to do about it."""

    why: str
    next_step: str = ""


def read_baseline(title: str, checks: tuple[OwnCheck, ...]) -> Script[Facts | NoBaseline]:
    """Read it; a machine whose service manager does not answer has none."""
    reply = yield from ReadFacts(title=title, whole=True, checks=checks)
    if not isinstance(reply, FactsRead):
        return NoBaseline(what_was_seen(reply))
    return why_none(reply.facts) or reply.facts


def why_none(facts: Facts) -> NoBaseline | None:
    """Why facts are no baseline; None where they are one."""
    if "systemctl" not in facts.activity.unread:
        return None
    why = "the service manager did not answer in time: there is no baseline of services"
    return NoBaseline(why, "cross when the machine is less busy")


def told_of(baseline: Facts) -> tuple[str, ...]:
    """What a person has to know of a baseline: what it lacks, and what was broken before."""
    lacking = tuple(
        f"nothing will be proven of {topic.name}, it was not read before: {topic.unanswered}"
        for topic in baseline.topics
        if topic.unanswered
    )
    broken = refused(baseline.values_of(TOPIC))
    return lacking + tuple(f"before the change already, {words}" for words in broken)
