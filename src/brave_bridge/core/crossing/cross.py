"""The script of a crossing: leg after leg by the family's procedure, and the proof of the whole."""

import msgspec

from brave_bridge.core.crossing.keep_way_back import expiry_warnings
from brave_bridge.core.crossing.leg_under_way import LegUnderWay
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.replies import FactsRead, FilesListed
from brave_bridge.core.crossing.requests import ExpireSnapshots, ListFiles, ReadFacts, Script
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import what_was_seen
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.compare import prove
from brave_bridge.core.survey.databases import held_by_data
from brave_bridge.core.survey.facts import Facts


def cross_route(
    procedure: LegProcedure, plans: tuple[LegPlan, ...], begun: OpenLeg | None = None
) -> Script[Outcome]:
    """Cross the legs of approved plans, one after the other, and prove the whole.

    ``begun`` is the leg of them that was begun before and is not whole: it is gone on with.
    """
    baseline = begun.baseline if begun else None
    ways_back = begun.ways_back if begun else ()
    obsolete: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    for number in range(begun.number if begun else 0, len(plans)):
        part_way = begun if begun and begun.number == number else None
        leg = LegUnderWay(procedure.family, plans, number, baseline, ways_back, part_way)
        outcome = yield from procedure.cross(leg)
        ways_back = leg.ways_back
        warnings += leg.warnings
        baseline = baseline or leg.facts
        obsolete = plans[number].packages.obsolete
        if outcome.state != "done":
            stopped = _stopped_after(outcome, number, ways_back)
            return msgspec.structs.replace(stopped, warnings=warnings)
    proven = yield from _proven(procedure, baseline, plans, ways_back, obsolete)
    return msgspec.structs.replace(proven, warnings=warnings + proven.warnings)


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


def _proven(
    procedure: LegProcedure,
    baseline: Facts | None,
    plans: tuple[LegPlan, ...],
    ways_back: tuple[str, ...],
    obsolete: tuple[str, ...],
) -> Script[Outcome]:
    """Read the machine again and hold it against the baseline."""
    after = yield from ReadFacts(title="Read the machine again")
    aside = yield from ListFiles(
        title="Look for config files set aside",
        folder="/etc",
        suffixes=procedure.set_aside_suffixes,
    )
    if not isinstance(after, FactsRead) or baseline is None:
        return Outcome(
            state="failed",
            at="proof",
            why=what_was_seen(after),
            safe="all legs are crossed",
            next_step="brave-bridge proof",
            ways_back=ways_back,
            legs_done=len(plans),
        )
    expired = yield from ExpireSnapshots(title="Let go what the retention rules let go")
    present = {package.name for package in after.facts.installed}
    held = held_by_data(after.facts.clusters)
    return Outcome(
        state="done",
        ways_back=ways_back,
        legs_done=len(plans),
        warnings=expiry_warnings(expired),
        proof=prove(baseline, after.facts, plans),
        set_aside=aside.paths if isinstance(aside, FilesListed) else (),
        obsolete=tuple(name for name in obsolete if name in present and name not in held),
    )
