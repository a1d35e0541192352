"""A leg from a medium: read whole, held against the machine, then phases over several restarts.

The phases are the system's own; they are followed from outside, and what they wrote down is read
after each restart.
"""

from collections.abc import Iterator

from brave_bridge.core.crossing.leg_under_way import DONE, LegUnderWay, Objection
from brave_bridge.core.crossing.replies import FactsRead, MediumRead
from brave_bridge.core.crossing.requests import ReadFacts, ReadMedium, Run, Script
from brave_bridge.core.crossing.restart import restart_at_once
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, last_words, what_was_seen
from brave_bridge.core.licensed.medium import misfits
from brave_bridge.core.licensed.system import (
    FAILED,
    FINISHED,
    ROLLED_BACK,
    RUNNING,
    TOOL,
    Phases,
)
from brave_bridge.core.plan.exchange_steps import MediumStep
from brave_bridge.core.survey.facts import Facts

PREPARING = "preparing"
"""The step of a leg whose system may have taken the medium up."""

MORE_RESTARTS = 3
"""How many more restarts are waited for than a medium announced."""


def upgrade(leg: LegUnderWay, step: MediumStep) -> Script[Outcome]:
    """From the medium to the system that goes through its phases at its restarts."""
    refusal = yield from leg.begin(_objection)
    if refusal:
        return refusal
    why = yield from _fits(leg, step)
    if why:
        return leg.stopped("medium", why, "take another medium, then plan again")
    yield from leg.keep_open(PREPARING)
    reply = yield from Run(
        title=f"Have {step.new} prepared from {step.medium}",
        argv=(TOOL, "upgrade", step.medium, step.keep),
        reports_progress=True,
    )
    if not ended_well(reply):
        return (yield from leg.failed(PREPARING, last_words(reply, 3)))
    reply = yield from ReadFacts(title="See that it is prepared")
    phases = _phases(reply.facts) if isinstance(reply, FactsRead) else None
    if phases is None or phases.state != RUNNING or phases.target != step.new:
        told = what_was_seen(reply) or "the system does not say that it goes to the new release"
        return (yield from leg.failed(PREPARING, told))
    yield from leg.checkpoint("changed")
    return DONE


def _objection(facts: Facts) -> Objection | None:
    if facts.licensed is None:
        return "the system tells nothing of its release", "look at it: brave-bridge survey"
    phases = facts.licensed.phases
    if phases is not None and phases.state == RUNNING:
        why = f"an upgrade to {phases.target} is under way already, phase {phases.phase}"
        return why, "let it end: restart the machine"
    return None


def _fits(leg: LegUnderWay, step: MediumStep) -> Script[str]:
    """The medium must be the one that was planned with, whole, and fit; why it does not."""
    reply = yield from ReadMedium(title=f"Read {step.medium} to its end", path=step.medium)
    if not isinstance(reply, MediumRead):
        return what_was_seen(reply)
    if reply.medium.build != step.build:
        return f"it has build {reply.medium.build}, the plan is for {step.build}"
    system = leg.facts.licensed
    if system is None or leg.begun:
        return ""
    line = leg.facts.identity.os_id
    found = misfits(reply.medium, system, line, leg.facts.hardware)
    return "; ".join(one.why for one in found)


def goes_on(facts: Facts) -> bool:
    """Whether phases are still ahead of the system that came up."""
    phases = _phases(facts)
    return phases is not None and phases.state == RUNNING


def wrong_release(step: MediumStep, facts: Facts) -> tuple[str, ...]:
    """Where what came up is not what the medium announced; its own record says why."""
    if goes_on(facts):
        return ()
    phases, system = _phases(facts), facts.licensed
    if phases is not None and phases.state in (FAILED, ROLLED_BACK):
        return (f"the upgrade {phases.state} in phase {phases.phase}: {_record(phases)}",)
    if system is None or phases is None or phases.state != FINISHED:
        return ("the system does not say how the upgrade ended",)
    if (system.system.version, system.system.build) != (step.new, step.build):
        seen = f"{system.system.version}, build {system.system.build}"
        return (f"{seen} came up; {step.new}, build {step.build} was announced",)
    return ()


def follow_phases(leg: LegUnderWay, step: MediumStep, facts: Facts) -> Script[Outcome | None]:
    """Restart as often as the system wants to, and look what it wrote down."""
    for number in range(step.phases + MORE_RESTARTS):
        if not goes_on(facts):
            break
        yield from leg.keep_open("restart")
        phase = _phases(facts)
        key = f"phase-{leg.number}-{number}-{phase.phase if phase else 0}"
        came = yield from restart_at_once(facts, "", key)
        if came.failure or came.facts is None:
            return (yield from leg.failed("restart", came.failure))
        facts = came.facts
        if came.faults:
            return (yield from leg.failed("restart", "; ".join(came.faults)))
    faults = tuple(_ends_badly(step, facts))
    if faults:
        return (yield from leg.failed("phases", "; ".join(faults)))
    return None


def _ends_badly(step: MediumStep, facts: Facts) -> Iterator[str]:
    phases = _phases(facts)
    if goes_on(facts) and phases is not None:
        yield f"it is still in phase {phases.phase} of {phases.of} after all restarts"
    yield from wrong_release(step, facts)


def _phases(facts: Facts) -> Phases | None:
    return facts.licensed.phases if facts.licensed else None


def _record(phases: Phases) -> str:
    return phases.record[-1].words if phases.record else "it wrote down no reason"
