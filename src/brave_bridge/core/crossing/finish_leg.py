"""The end of a leg behind its stages: restarted where that is needed, and up to date there.

A leg is whole when the system that it brought runs, and nothing newer of its release is left.
"""

from brave_bridge.core.crossing.bring_up_to_date import catch_up
from brave_bridge.core.crossing.kernels.board_settings import carry_board_settings
from brave_bridge.core.crossing.leg_under_way import DONE, LOADER, SLOT, LegUnderWay
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.replies import FactsRead
from brave_bridge.core.crossing.requests import ReadFacts, Script
from brave_bridge.core.crossing.restart import (
    CameUp,
    expected_kernel,
    failing_since,
    restart,
    why_no_restart,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.settings_before_restart import would_not_start
from brave_bridge.core.crossing.stage import repair, what_was_seen
from brave_bridge.core.images.system import is_on_trial
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.releases.standing import RELEASE
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.products import standing_for
from brave_bridge.core.survey.restart_need import can_restart, restart_reasons

AT = "restart"
"""The step at which a leg stands whose packages are in place and whose restart is ahead."""

CAME_UP = "came up"
"""The checkpoint behind the restart, of every leg."""

BRINGING = "bringing"
"""The step of a leg whose restart came up as something else than what it brings."""

BEHIND_THE_STAGES = (AT, CAME_UP)

_ROUNDS = 2
"""Restarts of a leg: the one that it needs, and one that updates behind it may ask for."""


def finish_leg(procedure: LegProcedure, leg: LegUnderWay) -> Script[Outcome]:
    """Restart where it is needed, look what came up, install what is newer; close the leg."""
    wanted = _planned_reasons(leg)
    now = yield from _behind_the_stages(procedure, leg)
    if isinstance(now, Outcome):
        return now
    before = leg.baseline or leg.facts
    leg.warnings += yield from carry_board_settings(before, now)
    for number in range(_ROUNDS):
        reasons = (*wanted, *(reason.words for reason in restart_reasons(now)))
        if reasons and can_restart(now):
            came = yield from _restart(procedure, leg, before, now, reasons, number)
            if isinstance(came, Outcome):
                return came
            if came.declined:
                break
            now = came.facts or now
        elif reasons and now.runs:
            leg.warnings += (f"restart what runs this system: {reasons[0]}",)
            break
        else:
            # The plan was made over these very indices: it left nothing that is newer.
            break
        updated = yield from _catch_up(procedure, leg)
        if not updated:
            break
        wanted = ()
        reply = yield from ReadFacts(title="See whether the updates need a restart")
        if isinstance(reply, FactsRead):
            now = reply.facts
            leg.warnings += yield from carry_board_settings(before, now)
    yield from leg.checkpoint(CAME_UP)
    yield from leg.close(f"{leg.plan.leg.title} is whole")
    return DONE


def _behind_the_stages(procedure: LegProcedure, leg: LegUnderWay) -> Script[Facts | Outcome]:
    """What is there now; an outcome where that cannot be read, or a package is half done."""
    title = "See whether a restart is needed"
    reply = yield from ReadFacts(title=title)
    if isinstance(reply, FactsRead) and reply.facts.broken and procedure.commands is not None:
        # Since the stages somebody worked here, or only a repair brought it to the end of them.
        if half_done := (yield from repair(procedure.commands)):
            return (yield from leg.failed(AT, half_done))
        reply = yield from ReadFacts(title=title)
    if not isinstance(reply, FactsRead):
        return (yield from leg.failed(AT, what_was_seen(reply)))
    return reply.facts


def _planned_reasons(leg: LegUnderWay) -> tuple[str, ...]:
    """Why the plan says that a restart is needed."""
    step = leg.plan.step(RestartStep)
    return step.because if step else ()


def _restart(
    procedure: LegProcedure,
    leg: LegUnderWay,
    before: Facts,
    now: Facts,
    reasons: tuple[str, ...],
    number: int,
) -> Script[CameUp | Outcome]:
    """Restart; an outcome where the leg cannot be called whole."""
    kernel = "" if procedure.brings_its_kernel else expected_kernel(before, now)
    if why := (yield from why_no_restart(now, kernel)):
        return (yield from leg.failed(AT, why))
    settings = yield from would_not_start(before, now, f"restart-{leg.number}-{number}")
    if settings.why_not:
        return (yield from leg.failed(AT, settings.why_not))
    leg.warnings += settings.words
    reasons += settings.words
    # Kept on the machine: whoever goes on without the logbook begins here.
    yield from leg.keep_open(AT)
    yield from leg.end_trial()
    came = yield from restart(now, reasons, kernel, f"restart-{leg.number}-{number}")
    if came.declined:
        leg.warnings += ("the system was not started since: what it comes up as is not known",)
        return came
    if came.failure or came.facts is None:
        return (yield from leg.failed(AT, came.failure))
    wrong = procedure.arrived_wrong(leg, came.facts)
    is_there = wrong or procedure.goes_on(leg, came.facts)
    faults = (*came.faults, *wrong, *(() if is_there else _not_arrived(leg, came.facts)))
    if faults:
        # What is not there is brought again by whoever goes on; a kernel is only tried again.
        at = BRINGING if wrong else CAME_UP
        return (yield from leg.failed(at, "; ".join(faults)))
    leg.on_trial = LOADER if came.on_trial else SLOT if is_on_trial(came.facts.image) else ""
    leg.warnings += failing_since(before, came.facts)
    return (yield from procedure.settle(leg, came.facts)) or came


def _not_arrived(leg: LegUnderWay, facts: Facts) -> tuple[str, ...]:
    end = leg.plan.leg
    here = standing_for(end, facts)
    if end.scale != RELEASE or end.ends_at(here):
        return ()
    return (f"{here.words} came up, {end.end.title} was expected",)


def _catch_up(procedure: LegProcedure, leg: LegUnderWay) -> Script[bool]:
    """Install what is newer than the plan; whether anything was."""
    if procedure.commands is None:
        return False
    preferences, kept = leg.plan.preferences, leg.plan.packages.kept_back
    alone = preferences.exclude | {change.name for change in kept}
    caught = yield from catch_up(procedure.commands, alone, leg.ways_back[-1:])
    leg.warnings += caught.warnings
    return bool(caught.updated)
