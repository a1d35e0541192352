"""The interface of a planner: from a machine's facts and a route to the plans of its legs."""

from typing import Protocol

import msgspec

from brave_bridge.core.crossing.requests import Script
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts


class PlanFault(msgspec.Struct, frozen=True):
    """Why no plan could be made: what was attempted, what was seen, what to do."""

    attempted: str
    seen: str
    remedy: str = ""


class Planner(Protocol):
    """Computes what legs would change. It only reads; no source of the machine is touched."""

    def plan(
        self, facts: Facts, legs: tuple[Leg, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """The plans of consecutive legs.

        ``folder`` is a folder on the machine, outside its configuration, for isolated
        state. Each leg after the first is planned on the state the one before leaves.
        """

    def again(
        self, facts: Facts, plans: tuple[LegPlan, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """The plans under other preferences, over what was fetched into the folder before."""
