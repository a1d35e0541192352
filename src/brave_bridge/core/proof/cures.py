"""Cures of what an image's makers know to be wrong: a person's to do, or in place by its tool."""

from collections.abc import Iterator

from brave_bridge.core.images.system import TOOL
from brave_bridge.core.plan.exchange_steps import ImageStep
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.difference import EXPECTED, REGRESSION, Difference
from brave_bridge.core.survey.facts import Facts


def cures_by_hand(plans: tuple[LegPlan, ...]) -> Iterator[tuple[str, str]]:
    """What a person has to do behind the legs: the issue's name, and the cure in a sentence."""
    for step in last_image(plans):
        yield from (item for item in step.cures.items() if item[0] not in step.cured_by_tool)


def compare_cures(after: Facts, plans: tuple[LegPlan, ...]) -> Iterator[Difference]:
    """Whether the cures that the system's own tool applies are in place: they may come undone."""
    in_place = after.image.running.cures if after.image else ()
    for step in last_image(plans):
        for name in step.cured_by_tool:
            subject, words = f"cure of {name}", step.cures.get(name, "")
            if name in in_place:
                yield Difference(subject, "none", "in place", EXPECTED, words)
            else:
                why = f"apply it: {TOOL} cure {name} ({words})"
                yield Difference(subject, "none", "not in place", REGRESSION, why)


def last_image(plans: tuple[LegPlan, ...]) -> tuple[ImageStep, ...]:
    """The image that the legs end with: those between are gone, with what was wrong with them."""
    steps = tuple(step for plan in plans if (step := plan.step(ImageStep)))
    return steps[-1:]
