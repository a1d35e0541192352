"""The plans of one machine: made, decided about, kept until they are crossed."""

from collections.abc import Callable

import msgspec

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.packages.choices import preferences_with
from brave_bridge.core.packages.grouping import restart_reasons_of, weighed
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.runner.inline import drive
from brave_bridge.store.rows import now
from brave_bridge.workbench.decisions import change_decisions
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept.kept_plan import (
    change_plan,
    fingerprint,
    fitting_plan,
    has_indices,
    keep_plan,
    plan_as_kept,
    remove_indices,
)
from brave_bridge.workbench.kept.policies import answered, answered_as_before, read_policies
from brave_bridge.workbench.outlook.measuring import MeasuringPerformer, speeds
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.roles import known_roles

PLAN_FOLDER = f"{STATE_FOLDER}/plans"


class Plans:
    """What a route would change on a machine, and what the person wants of it."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    def make(
        self,
        to: str,
        tell: Callable[[str], None] | None = None,
        preferences: Preferences | None = None,
    ) -> KeptPlan:
        """Plan the legs to a release and keep the plan; Refused where that cannot be done.

        Without ``preferences`` those of the plan before hold, or the fleet's policies.
        """
        name = self.desk.family()
        planner = family_named(name).planner
        if planner is None:
            raise Refused("planning", f"machines of the {name} family cannot cross yet")
        self.desk.must_read_records()
        self.desk.must_have_no_open_leg("planning")
        facts = self.desk.facts()
        route = self.desk.routes(facts, to).named(to)
        if not route.is_open:
            raise Refused("planning", route.why_not)
        self.desk.machine.state.make()
        before = fitting_plan(self.desk.machine, facts, to)
        policies = read_policies(self.desk.target.kind)
        preferences = preferences or (before.preferences if before else policies.preferences)
        plain_performer = self.desk.performer("plan")
        performer = MeasuringPerformer(plain_performer)
        # A folder of its own: where this is refused, the plan before keeps what it was made over.
        folder = f"{PLAN_FOLDER}/{plain_performer.identifier}"
        script = planner.plan(facts, route.legs, folder, preferences)
        planned = drive(script, performer, tell)
        if isinstance(planned, PlanFault):
            remove_indices(self.desk.machine, folder)
            raise Refused(planned.attempted, planned.seen, planned.remedy)
        measured = speeds(performer, self.desk.machine.state)
        change_decisions(self.desk.machine, lambda known: known.measured_now(measured))
        kept = KeptPlan(route.end.key, fingerprint(facts), now(), _weighed(planned), folder)
        kept = answered(answered_as_before(kept, before), policies)
        keep_plan(self.desk.machine, kept)
        return kept

    def under(self, plan: KeptPlan, preferences: Preferences) -> KeptPlan:
        """The plan under other preferences, over the same indices, kept.

        Refused where these are gone.
        """
        facts = self.desk.facts()
        plan = plan_as_kept(self.desk.machine, plan)
        if not has_indices(self.desk.machine, plan):
            raise Refused("planning", "what the plan was made over is gone", "plan the way again")
        planner = family_named(self.desk.family()).planner
        script = planner.again(facts, plan.legs, plan.indices, preferences)
        planned = drive(script, self.desk.performer("plan"))
        if isinstance(planned, PlanFault):
            raise Refused(planned.attempted, planned.seen, planned.remedy)

        def planned_anew(known: KeptPlan) -> KeptPlan:
            anew = msgspec.structs.replace(known, legs=_weighed(planned), made_at=now())
            return answered_as_before(anew, known)

        return change_plan(self.desk.machine, plan, planned_anew)

    def decide(
        self, plan: KeptPlan, key: str, answer: str, tell: Callable[[str], None] | None = None
    ) -> KeptPlan:
        """The plan with another answer to one of its choices, kept.

        Refused where nothing asks for it, or it cannot be answered so.
        """
        choices = {choice.key: choice for leg in plan.legs for choice in leg.choices}
        if key not in choices:
            asked = ", ".join(choices) or "nothing"
            raise Refused("deciding", f"the plan asks nothing about {key}", f"it asks: {asked}")
        known = [option.answer for option in choices[key].options]
        if answer not in known:
            raise Refused("deciding", f"{answer} is no answer to {key}", f"say {', '.join(known)}")
        preferences = preferences_with(plan.preferences, choices[key], answer)
        if choices[key].needs_sources:
            return self.make(plan.to, tell, preferences)
        return self.under(plan, preferences)

    def kept(self, facts: Facts, to: str = "") -> KeptPlan | None:
        """The kept plan, if it fits the machine and the way it takes (and leads to ``to``)."""
        plan = fitting_plan(self.desk.machine, facts, to)
        wanted = plan.to if plan else to
        routes = self.desk.routes(facts, wanted)
        goal = routes.goal(wanted)
        return plan if plan and goal and plan.follows(routes.to(goal)) else None

    def answer(self, plan: KeptPlan, path: str, answer: str) -> KeptPlan:
        """The plan with a config question answered, kept; Refused where nothing asks for it."""
        if not any(q.path == path for leg in plan.legs for q in leg.configs.questions):
            asked = ", ".join(sorted({q.path for leg in plan.legs for q in leg.configs.questions}))
            raise Refused(
                "deciding",
                f"the plan asks nothing about {path}",
                f"it asks about: {asked or 'nothing'}",
            )

        def with_it(known: KeptPlan) -> KeptPlan:
            legs = tuple(leg.with_answer(path, answer) for leg in known.legs)
            return msgspec.structs.replace(known, legs=legs)

        return change_plan(self.desk.machine, plan, with_it)


def _weighed(legs: tuple[LegPlan, ...]) -> tuple[LegPlan, ...]:
    """The legs, with what the roles of packages tell: jumps to another series, and restarts."""
    return tuple(_weighed_leg(leg) for leg in legs)


def _weighed_leg(leg: LegPlan) -> LegPlan:
    if not leg.packages:
        return leg
    roles = known_roles()
    leg = leg.with_packages(weighed(leg.packages, roles))
    because = restart_reasons_of(leg.packages, roles)
    if because:
        return leg.with_step(RestartStep(because=because))
    others = tuple(step for step in leg.steps if not isinstance(step, RestartStep))
    return msgspec.structs.replace(leg, steps=others)
