"""The deeds of planning: our own planner over the indices that were fetched for a plan."""

from brave_bridge.core.crossing.requests import (
    ChangesExplained,
    ExplainChanges,
    Failed,
    Reply,
)
from brave_bridge.core.formats.text import plain
from brave_bridge.core.planning.checker import faults_of_plan
from brave_bridge.core.planning.explanation import Explainer
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.planner import collector_at_rest, plan_packages
from brave_bridge.families.deb.universe import universe_of
from brave_bridge.machines.port import Machine

_MOST = 150


def explain_changes(machine: Machine, request: ExplainChanges) -> Reply:
    """Plan the same change, and tell the reason of each removal and keep-back that we share."""
    with collector_at_rest():
        universe = universe_of(machine, request.lists, request.database)
        plan = plan_packages(universe)
    if faults := faults_of_plan(plan):
        seen = f"{faults[0].package} {faults[0].what}"
        return Failed("checking our own plan", plain(seen), "tell us: this must not happen")
    explainer = Explainer(universe, plan)
    try:
        reasons = dict(_reasons(plan, explainer, request))
    finally:
        explainer.close()
    return ChangesExplained(
        reasons=reasons,
        removed=tuple(sorted(plan.removed)),
        kept_back=tuple(sorted(plan.kept_back)),
        proven=all(level.proven for level in plan.levels),
    )


def _reasons(plan: PackagePlan, explainer: Explainer, request: ExplainChanges):
    removed, kept = set(plan.removed), set(plan.kept_back)
    for slot in request.removed[:_MOST]:
        if slot in removed and (reason := explainer.why_gone(slot)).proven:
            yield slot, plain(reason.words)
    for slot in request.kept_back[:_MOST]:
        if slot in kept and (reason := explainer.why_kept(slot)).proven:
            yield slot, plain(reason.words)
