"""The procedure of licensed systems: another edition by a key, or another release by a medium."""

from brave_bridge.core.crossing.leg_under_way import LegUnderWay
from brave_bridge.core.crossing.made_as_one.edition_leg import activate, convert, wrong_edition
from brave_bridge.core.crossing.made_as_one.medium_leg import (
    follow_phases,
    goes_on,
    upgrade,
    wrong_release,
)
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.requests import Script
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.plan.exchange_steps import EditionStep, MediumStep
from brave_bridge.core.survey.facts import Facts


class LicensedLeg(LegProcedure):
    """See LegProcedure. It is the system's own tool that converts, upgrades and activates."""

    family = "licensed"
    brings_its_kernel = True
    commands = None
    checkpoints = ("ready", "way back", "changed")
    set_aside_suffixes = ()

    def cross(self, leg: LegUnderWay) -> Script[Outcome]:
        """See LegProcedure."""
        edition, medium = leg.plan.step(EditionStep), leg.plan.step(MediumStep)
        if edition is not None:
            return (yield from convert(leg, edition))
        if medium is not None:
            return (yield from upgrade(leg, medium))
        return leg.stopped("ready", "the plan changes neither edition nor release", "plan again")

    def arrived_wrong(self, leg: LegUnderWay, facts: Facts) -> tuple[str, ...]:
        """See LegProcedure."""
        edition, medium = leg.plan.step(EditionStep), leg.plan.step(MediumStep)
        if edition is not None:
            return wrong_edition(edition, facts)
        return wrong_release(medium, facts) if medium is not None else ()

    def goes_on(self, leg: LegUnderWay, facts: Facts) -> bool:
        """See LegProcedure."""
        return goes_on(facts)

    def settle(self, leg: LegUnderWay, facts: Facts) -> Script[Outcome | None]:
        """See LegProcedure."""
        edition, medium = leg.plan.step(EditionStep), leg.plan.step(MediumStep)
        if edition is not None:
            yield from activate(leg, edition, facts)
        if medium is not None:
            return (yield from follow_phases(leg, medium, facts))
        return None
