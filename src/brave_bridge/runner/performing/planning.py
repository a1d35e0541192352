"""The deeds of planning: our own planner over the indices that were fetched for a plan."""

import msgspec

from brave_bridge.core.crossing.replies import Failed, PackagesPlanned, Reply
from brave_bridge.core.crossing.requests import LegIndices, PlanPackages
from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.changes import PackageChanges, Skipping
from brave_bridge.core.planning.checker import faults_of_plan
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.planner import collector_at_rest, plan_packages
from brave_bridge.core.planning.skipping import compare_ways
from brave_bridge.core.planning.telling import bare, told
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.family import Packages
from brave_bridge.machines.port import Machine
from brave_bridge.runner.performing.ways_back import Report


def plan_legs(machine: Machine, packages: Packages, request: PlanPackages, report: Report) -> Reply:
    """Plan every leg on what the one before leaves; each plan is checked by other eyes."""
    told_of: list[PackageChanges] = []
    steps: list[tuple[Universe, PackagePlan]] = []
    with collector_at_rest():
        for number, leg in enumerate(request.legs):
            report(100 * number / len(request.legs), f"planning {leg.end}", "")
            universe = _universe(machine, packages, request, leg, steps)
            plan = plan_packages(universe, request.preferences)
            if faults := faults_of_plan(plan):
                seen = f"{faults[0].package} {faults[0].what}"
                remedy = "tell us: a plan must never be unsound"
                return Failed(f"checking the plan for {leg.end}", plain(seen), remedy)
            steps.append((universe, plan))
            changes = told(universe, plan, leg.end) if request.explain else bare(universe, plan)
            if request.explain:
                changing = sorted((*plan.upgraded, *plan.removed))
                services = tuple(packages.services(machine, changing))
                changes = msgspec.structs.replace(changes, services=services)
            told_of.append(changes)
        if request.explain and len(steps) > 1:
            skipping = _skipping(machine, packages, request, steps)
            told_of[-1] = msgspec.structs.replace(told_of[-1], skipping=skipping)
    return PackagesPlanned(tuple(told_of))


def _universe(
    machine: Machine,
    packages: Packages,
    request: PlanPackages,
    leg: LegIndices,
    steps: list[tuple[Universe, PackagePlan]],
) -> Universe:
    if not steps:
        return packages.universe(machine, leg.lists, request.database)
    before, plan = steps[-1]
    return packages.universe_after(machine, plan, before, leg.lists)


def _skipping(
    machine: Machine,
    packages: Packages,
    request: PlanPackages,
    steps: list[tuple[Universe, PackagePlan]],
) -> Skipping:
    """The jump straight to the last leg's end, held against the steps."""
    straight = packages.universe(machine, request.legs[-1].lists, request.database)
    jump = plan_packages(straight, request.preferences)
    middles = [universe.archive for universe, _ in steps[:-1]]
    plans = [plan for _, plan in steps]
    missed = tuple(packages.missed_migrations(machine, request, plans))
    return compare_ways(jump, plans, middles, missed).told()
