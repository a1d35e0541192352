"""Licence keys at the desk: judged here before anything begins, handed to the runner that waits."""

from brave_bridge.core.crossing.requests import UseKey
from brave_bridge.core.licensed.key import LicenceKey, judged, marked
from brave_bridge.core.plan.exchange_steps import EditionStep
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.survey.facts import Facts
from brave_bridge.runner import key_desk
from brave_bridge.runner.key_desk import TAKEN, NobodyWaits
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused


def key_wanted(legs: tuple[LegPlan, ...]) -> EditionStep | None:
    """The edition whose key is asked for when these legs begin; None where none is."""
    return legs[0].step(EditionStep) if legs else None


def judged_for(facts: Facts, step: EditionStep, typed: str) -> LicenceKey:
    """The key that was typed for an edition of this machine; KeyFault where it is none."""
    marks = facts.licensed.marks if facts.licensed else {step.mark: step.new}
    return judged(typed, marks, step.new)


def waiting_for(desk: Desk) -> UseKey | None:
    """For what the machine's runner waits for a key now; None where it does not."""
    waiting = desk.open_procedure() if key_desk.somebody_waits(desk.machine.state) else None
    if waiting is None:
        return None
    entries = desk.logbook().entries(waiting.id)
    last = entries[-1] if entries else None
    if last is None or last.ended or last.kind != UseKey.__name__:
        return None
    return last.asked_as(UseKey)


def judged_by(wanted: UseKey, typed: str) -> LicenceKey:
    """The key that was typed for what waits; KeyFault where it is none."""
    return marked(typed, wanted.mark, wanted.edition)


def give(desk: Desk, key: LicenceKey) -> None:
    """Hand a key to the runner that waits for it; Refused where it is of no use there."""
    _handed(desk, key.reveal().encode())


def withdraw(desk: Desk) -> None:
    """Tell the runner that no key will come; it stops, or fails where it must."""
    _handed(desk, key_desk.WITHDRAWN)


def _handed(desk: Desk, content: bytes) -> None:
    try:
        said = key_desk.hand_over(desk.machine.state, content)
    except NobodyWaits as fault:
        why = "no crossing of this machine waits for a key now"
        raise Refused("giving the key", why, "see where it stands: brave-bridge logbook") from fault
    if said != TAKEN:
        raise Refused("giving the key", said, "type it again")
