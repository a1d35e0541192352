"""Planning legs over an isolated state, by our own planner.

The isolated state has its own sources, indices and cache below a folder of ours. The
machine's own sources, indices and database are only read. Every leg after the first is
planned on the packages that the leg before leaves.
"""

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.replies import PackagesPlanned
from brave_bridge.core.crossing.requests import LegIndices, PlanPackages, Script
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.deb.leg_plan import with_packages
from brave_bridge.families.deb.leg_sources import LegSources, fault_of
from brave_bridge.families.deb.places import STATUS


class DebPlanner:
    """The planner of deb machines."""

    def plan(
        self,
        facts: Facts,
        legs: tuple[Leg, ...],
        folder: str,
        preferences: Preferences = Preferences(),
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        turned: list[LegPlan] = []
        files = facts.source_files
        for number, leg in enumerate(legs):
            sources = LegSources(facts, leg, files, f"{folder}/{number}", preferences)
            fetched = yield from sources.fetch()
            if isinstance(fetched, PlanFault):
                return fetched
            turned.append(fetched)
            files = fetched.sources.files
        return (yield from self.again(facts, tuple(turned), folder, preferences))

    def again(
        self, facts: Facts, plans: tuple[LegPlan, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        reply = yield from PlanPackages(
            title="Plan every package",
            database=STATUS,
            legs=tuple(
                LegIndices(f"{folder}/{number}/lists", plan.leg.end.codename or plan.leg.end.title)
                for number, plan in enumerate(plans)
            ),
            preferences=preferences,
            configured=tuple(sorted({config.package for config in facts.changed_configs})),
        )
        if not isinstance(reply, PackagesPlanned):
            title = f"planning {plans[0].leg.start.title} to {plans[-1].leg.end.title}"
            return fault_of(title, reply, "apt-get -f install, then plan again")
        return tuple(
            with_packages(facts, plan, changes, preferences)
            for plan, changes in zip(plans, reply.legs, strict=True)
        )
