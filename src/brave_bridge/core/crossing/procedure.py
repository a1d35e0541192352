"""A family's procedure for its legs: its own checklist, made of the pieces that all share."""

from typing import Protocol

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.leg_under_way import LegUnderWay
from brave_bridge.core.crossing.requests import Script
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.survey.facts import Facts


class LegProcedure(Protocol):
    """Carries out the plan of one leg, from its first checkpoint to the last."""

    family: str

    commands: CrossingFamily | None
    """Its package manager, by which the end of a leg is brought up to date; None: it has none."""

    checkpoints: tuple[str, ...]
    """The places where it can rest, in order."""

    set_aside_suffixes: tuple[str, ...]
    """Endings of config files that a leg may set aside."""

    brings_its_kernel: bool = False
    """Whether what comes up has a kernel in itself, which nothing that is installed tells of."""

    def cross(self, leg: LegUnderWay) -> Script[Outcome]:
        """Go over the leg's plan; ``DONE`` where all of it is in place.

        The restart, what follows it, and closing the leg are the same for all: ``finish_leg``.
        """

    def arrived_wrong(self, leg: LegUnderWay, facts: Facts) -> tuple[str, ...]:
        """Where the system that came up is not the one that the plan announced, in sentences.

        Whoever goes on begins with ``cross`` then, not with the restart.
        """
        return ()

    def goes_on(self, leg: LegUnderWay, facts: Facts) -> bool:
        """Whether the system that came up is still on its way: ``settle`` takes it to the end."""
        return False

    def settle(self, leg: LegUnderWay, facts: Facts) -> Script[Outcome | None]:
        """What has to be done on the system that came up; an outcome where the leg ends here."""
        return None
        yield
