"""The last steps before packages change: indices, plan and package manager must agree.

The indices are fetched and must be those of the leg's end. The plan is made again from them:
what has moved since it was approved is shown and asked about. Then the package manager
rehearses exactly this plan, and everything is downloaded; where both were done ahead, over the
same indices and for the same plan, they are not done again.
"""

import msgspec

from brave_bridge.core.crossing.ahead import Ahead
from brave_bridge.core.crossing.family import CrossingFamily, ExactCommands
from brave_bridge.core.crossing.replies import Answered, Failed, FilesRead, PackagesPlanned, Ran
from brave_bridge.core.crossing.requests import (
    Ask,
    LegIndices,
    PlanPackages,
    ReadFiles,
    Script,
    WriteFiles,
)
from brave_bridge.core.crossing.stage import ended_well, titled, what_was_seen, why_it_failed
from brave_bridge.core.formats.text import shortened
from brave_bridge.core.packages.changes import (
    PackageChange,
    PackageChanges,
    difference,
    difference_in_the_end,
    versions_by_name,
)
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.survey.facts import Facts

GO_ON, UNDO = "go on", "undo"


class NotReady(msgspec.Struct, frozen=True):
    """Why packages must not change yet: at which step, and what to do."""

    at: str
    why: str
    next_step: str = ""


class Prepared(msgspec.Struct, frozen=True):
    """The plan that all agree on, and the commands that carry it out."""

    plan: LegPlan
    commands: ExactCommands


def prepare(
    family: CrossingFamily,
    plan: LegPlan,
    number: int,
    ahead: Ahead,
    part_way: Facts | None = None,
) -> Script[Prepared | NotReady]:
    """Make ready to carry out a leg's plan; ``number`` counts legs from 0.

    ``ahead`` is what was fetched already.
    ``part_way`` are the facts where a part of the leg is done already: what is left is
    planned from there, towards what was agreed.
    """
    refusal = yield from _fetch_indices(family, plan, ahead)
    if refusal:
        return refusal
    plan = yield from _plan_again(family, plan, number, part_way)
    if isinstance(plan, NotReady):
        return plan
    commands = family.exactly(plan.packages)
    reply = yield from WriteFiles(title="Write down what may be chosen", files=commands.files)
    if isinstance(reply, Failed):
        return NotReady("agreement", what_was_seen(reply))
    told = ahead.rehearsal(plan.packages)
    if told is not None and not family.unlike(plan.packages, told):
        return Prepared(plan, commands)
    refusal = yield from _rehearse(family, plan, commands)
    if refusal:
        return refusal
    reply = yield from titled(commands.download, "Download everything")
    if not ended_well(reply):
        return NotReady("download", why_it_failed(family, reply))
    return Prepared(plan, commands)


def _fetch_indices(family: CrossingFamily, plan: LegPlan, ahead: Ahead) -> Script[NotReady | None]:
    title = plan.leg.end.title
    if not (yield from ahead.take_up()):
        reply = yield from titled(family.refresh(), f"Fetch the indices of {title}")
        if not ended_well(reply):
            return NotReady("indices", why_it_failed(family, reply))
    reply = yield from ReadFiles(
        title=f"Check that the indices are those of {title}",
        patterns=family.index_descriptions,
    )
    descriptions = reply.files if isinstance(reply, FilesRead) else ()
    wrong = what_was_seen(reply) or family.wrong_indices(plan, descriptions)
    return NotReady("indices", wrong) if wrong else None


def _plan_again(
    family: CrossingFamily, plan: LegPlan, number: int, part_way: Facts | None
) -> Script[LegPlan | NotReady]:
    """The plan as it is now; what is other than was approved is asked about."""
    reply = yield from PlanPackages(
        title="Plan again with what the sources have now",
        database=family.database,
        legs=(LegIndices(family.lists, plan.leg.end.title),),
        preferences=_preferences_towards(plan, part_way)
        if part_way is not None
        else plan.preferences,
        explain=False,
    )
    if not isinstance(reply, PackagesPlanned):
        return NotReady("agreement", what_was_seen(reply))
    now = reply.legs[0]
    if part_way is not None:
        now = _asked_for_as_agreed(plan, now)
        moved = list(difference_in_the_end(plan.packages, now, part_way.installed))
    else:
        moved = list(difference(plan.packages, now))
    if not moved:
        return plan.with_packages(now) if part_way is not None else _unmoved(plan, now)
    answer = yield from Ask(
        title="Since the plan was approved something has changed",
        key=f"agreement-{number}",
        detail="\n".join(shortened(moved, 40)),
        choices=(GO_ON, UNDO),
        default=GO_ON if part_way is not None else UNDO,
    )
    if isinstance(answer, Answered) and answer.choice == GO_ON:
        return plan.with_packages(now)
    why = "other than when it was approved: " + "; ".join(shortened(moved, 3))
    return NotReady("agreement", why, "plan again")


def _preferences_towards(plan: LegPlan, part_way: Facts) -> Preferences:
    """What was agreed as preferences: what brought a new package may be done already."""
    there = versions_by_name(part_way.installed)
    coming = {change.name for change in plan.packages.new if change.name not in there}
    going = {change.name for change in plan.packages.removed if change.name in there}
    preferences = plan.preferences
    return msgspec.structs.replace(
        preferences,
        add=preferences.add | (coming - preferences.exclude - preferences.remove),
        remove=preferences.remove
        | (going - preferences.protect - preferences.exclude - preferences.add),
    )


def _asked_for_as_agreed(plan: LegPlan, now: PackageChanges) -> PackageChanges:
    """The changes, each as much asked for by hand as it was when the plan was agreed."""
    by_hand = {change.name: change.by_hand for change in plan.packages.arriving}

    def agreed(changes: tuple[PackageChange, ...]) -> tuple[PackageChange, ...]:
        return tuple(
            msgspec.structs.replace(change, by_hand=by_hand.get(change.name, change.by_hand))
            for change in changes
        )

    return msgspec.structs.replace(now, upgraded=agreed(now.upgraded), new=agreed(now.new))


def _unmoved(plan: LegPlan, now: PackageChanges) -> LegPlan:
    return plan.with_packages(msgspec.structs.replace(plan.packages, unchanged=now.unchanged))


def _rehearse(
    family: CrossingFamily, plan: LegPlan, commands: ExactCommands
) -> Script[NotReady | None]:
    """The package manager's own simulation must do exactly the plan."""
    reply = yield from commands.rehearse
    if not isinstance(reply, Ran) or reply.lost:
        return NotReady("agreement", what_was_seen(reply) or "the rehearsal was interrupted")
    differs = family.unlike(plan.packages, reply.output)
    if not differs:
        return None
    faults = family.faults(reply.output)[:2] or shortened(differs, 5)
    why = "the package manager would do other than the plan: " + "; ".join(faults)
    return NotReady("agreement", why, "plan again")
