"""A leg that was begun and is not whole: what has to be known to go on with it, or go back.

It is kept on the machine itself from before the first change until the leg is whole or the
machine has returned, so that it is found also where the logbook is lost.
"""

import msgspec

from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.survey.facts import Facts


class OpenLeg(msgspec.Struct, frozen=True, kw_only=True):
    """A leg under way. ``plans`` is the whole route as it was agreed, ``number`` counts in it.

    ``baseline`` are the facts before the first leg; ``at`` is the step that was under way
    last and ``why`` what went wrong there, empty where nothing did.
    """

    family: str
    plans: tuple[LegPlan, ...]
    number: int
    baseline: Facts
    ways_back: tuple[str, ...]
    at: str = ""
    why: str = ""

    @property
    def plan(self) -> LegPlan:
        """What was agreed for the leg."""
        return self.plans[self.number]

    @property
    def title(self) -> str:
        """The leg in words."""
        return self.plan.leg.title

    @property
    def way_back(self) -> str:
        """The way back that was taken before the leg."""
        return self.ways_back[-1] if self.ways_back else ""
