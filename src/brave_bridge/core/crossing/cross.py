"""The script of a crossing: leg after leg by the family's procedure, and the proof of the whole."""

import msgspec

from brave_bridge.core.crossing.baseline import NoBaseline, read_baseline, told_of
from brave_bridge.core.crossing.finish_leg import BEHIND_THE_STAGES, finish_leg
from brave_bridge.core.crossing.leg_under_way import DONE, LOADER, LegUnderWay, trial_ended
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.prove_patiently import prove_patiently
from brave_bridge.core.crossing.replies import FilesListed, StopsSeen
from brave_bridge.core.crossing.requests import (
    ExpireSnapshots,
    ListFiles,
    LookForStops,
    Script,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import what_was_seen
from brave_bridge.core.crossing.surroundings import Surroundings, within
from brave_bridge.core.crossing.ways_back.keep_way_back import expiry_warnings
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.proof.compare import prove
from brave_bridge.core.survey.databases import held_by_data
from brave_bridge.core.survey.facts import Facts


def cross_route(
    procedure: LegProcedure,
    plans: tuple[LegPlan, ...],
    begun: OpenLeg | None = None,
    surroundings: Surroundings = Surroundings(),
    checks: tuple[OwnCheck, ...] = (),
) -> Script[Outcome]:
    """Cross the legs of approved plans, one after the other, and prove the whole.

    ``begun`` is the leg of them that was begun before and is not whole: it is gone on with.
    ``surroundings`` are entered once before all legs and left once behind them; what is proven
    is the machine with its guests at work again. ``checks`` are asked before and after.
    """
    legs = _Legs(procedure, plans, begun, checks)
    if surroundings and begun is None and (refusal := (yield from legs.read_baseline())):
        return refusal
    outcome = yield from within(surroundings, legs.cross())
    if outcome.state != "done":
        return outcome
    obsolete = plans[-1].packages.obsolete
    proven = yield from _proven(legs, obsolete)
    return msgspec.structs.replace(proven, warnings=outcome.warnings + proven.warnings)


class _Legs:
    """The legs of a crossing, with what is known behind each."""

    def __init__(
        self,
        procedure: LegProcedure,
        plans: tuple[LegPlan, ...],
        begun: OpenLeg | None,
        checks: tuple[OwnCheck, ...],
    ) -> None:
        self.checks = checks
        self.procedure = procedure
        self.plans = plans
        self.begun = begun
        self.baseline = begun.baseline if begun else None
        self.ways_back = begun.ways_back if begun else ()
        self.warnings: tuple[str, ...] = ()
        self.on_trial = ""
        """What of the last leg still has behind it what ran before; see LegUnderWay."""

    def read_baseline(self) -> Script[Outcome | None]:
        """Before guests are shut down and services rest: they are part of it."""
        facts = yield from read_baseline("Read the baseline", self.checks)
        if isinstance(facts, NoBaseline):
            return Outcome(
                state="stopped",
                at="ready",
                why=facts.why,
                safe="nothing was changed",
                next_step=facts.next_step or "mend the cause, then cross again",
            )
        self.baseline, self.warnings = facts, told_of(facts)
        return None

    def cross(self) -> Script[Outcome]:
        first = self.begun.number if self.begun else 0
        for number in range(first, len(self.plans)):
            refusal = (yield from self._look_ahead(number)) if number > first else None
            outcome = refusal or (yield from self._leg(number))
            if outcome.state != "done":
                stopped = _stopped_after(outcome, number, self.ways_back)
                return msgspec.structs.replace(stopped, warnings=self.warnings)
        return Outcome(state="done", warnings=self.warnings)

    def unproven(self, why: str) -> Outcome:
        """All legs are crossed, and nothing could be proven."""
        return Outcome(
            state="failed",
            at="proof",
            why=why,
            safe="all legs are crossed",
            next_step="brave-bridge proof",
            ways_back=self.ways_back,
            legs_done=len(self.plans),
        )

    def _leg(self, number: int) -> Script[Outcome]:
        part_way = self.begun if self.begun and self.begun.number == number else None
        family, plans = self.procedure.family, self.plans
        leg = LegUnderWay(family, plans, number, self.baseline, self.ways_back, part_way)
        leg.checks = self.checks
        if part_way is not None and part_way.at in BEHIND_THE_STAGES:
            outcome = DONE
        else:
            outcome = yield from self.procedure.cross(leg)
        self.baseline = self.baseline or leg.facts
        if outcome is DONE:
            outcome = yield from finish_leg(self.procedure, leg)
        if outcome is DONE and number + 1 < len(self.plans):
            yield from leg.end_trial()
        self.on_trial = leg.on_trial
        self.ways_back = leg.ways_back
        self.warnings += leg.warnings
        return outcome

    def _look_ahead(self, number: int) -> Script[Outcome | None]:
        """Judge the machine anew before its next leg; why that must not begin."""
        leg = self.plans[number].leg
        reply = yield from LookForStops(title=f"Survey it again before {leg.title}", to=leg.end.key)
        why = what_was_seen(reply)
        if isinstance(reply, StopsSeen):
            why = "; ".join(reply.titles)
        if not why:
            return None
        return Outcome(
            state="stopped",
            at="ready",
            why=why,
            safe=f"{self.plans[number - 1].leg.title} is whole",
            next_step=getattr(reply, "remedy", "") or "mend that, then plan and cross again",
        )


def _stopped_after(outcome: Outcome, legs_done: int, ways_back: tuple[str, ...]) -> Outcome:
    return Outcome(
        state=outcome.state,
        at=outcome.at,
        why=outcome.why,
        safe=outcome.safe,
        next_step=outcome.next_step,
        ways_back=ways_back,
        legs_done=legs_done,
    )


def _trial_judged(legs: _Legs, after: Facts, passed: bool) -> Script[tuple[str, ...]]:
    """End a trial whose proof passed; what the next boot takes where it did not."""
    if passed:
        return (yield from trial_ended(legs.on_trial)) if legs.on_trial else ()
    if legs.on_trial:
        what = "kernel" if legs.on_trial == LOADER else "slot"
        takes = f"the {what} that ran before the leg"
    else:
        kernel = after.kernel_that_came_up if after.runs else ""
        takes = f"what runs now, kernel {kernel}" if kernel else "what the leg brought"
    back = f"; back: brave-bridge return {legs.ways_back[-1]}" if legs.ways_back else ""
    return (f"the proof did not pass: the next boot takes {takes}{back}",)


def _proven(legs: _Legs, obsolete: tuple[str, ...]) -> Script[Outcome]:
    """Read the machine again and hold it against the baseline."""
    procedure, baseline, plans = legs.procedure, legs.baseline, legs.plans
    ways_back = legs.ways_back
    if baseline is None:
        return legs.unproven("there is no baseline")
    proved = yield from prove_patiently(
        baseline, lambda after: prove(baseline, after, plans), legs.checks
    )
    if not isinstance(proved, tuple):
        return legs.unproven(what_was_seen(proved))
    after, proof = proved
    aside = yield from ListFiles(
        title="Look for config files set aside",
        folder="/etc",
        suffixes=procedure.set_aside_suffixes,
    )
    warned = yield from _trial_judged(legs, after, proof.passed)
    expired = yield from ExpireSnapshots(title="Let go what the retention rules let go")
    present = {package.name for package in after.installed}
    held = held_by_data(after.clusters)
    return Outcome(
        state="done",
        ways_back=ways_back,
        legs_done=len(plans),
        warnings=(*warned, *expiry_warnings(expired)),
        proof=proof,
        set_aside=aside.paths if isinstance(aside, FilesListed) else (),
        obsolete=tuple(name for name in obsolete if name in present and name not in held),
    )
