"""What legs fetch, write and take on disk, in words."""

from collections.abc import Sequence

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.plan.exchange_steps import EditionStep, ImageStep, MediumStep
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import RestartStep


def amounts(legs: Sequence[LegPlan], fetched: str = "to fetch") -> str:
    """``4.1 GB to fetch, 300 MB more on disk``; what is written into a slot where one is."""
    images = [step for leg in legs for step in leg.steps if isinstance(step, ImageStep)]
    written = sum(image.image_bytes for image in images)
    media = [step for leg in legs for step in leg.steps if isinstance(step, MediumStep)]
    read = sum(medium.medium_bytes for medium in media)
    fetch, disk = sum(p.download_bytes for p in legs), sum(p.disk_bytes for p in legs)
    words = [f"{byte_size(written)} to write into the other slot"] if written else []
    words += [f"{byte_size(read)} to read from the medium"] if read else []
    nothing_else = not (words or _takes_nothing(legs))
    if fetch or nothing_else:
        words.append(f"{byte_size(fetch)} {fetched}")
    if fetch or disk or nothing_else:
        words.append(f"{byte_size(abs(disk))} {'more' if disk >= 0 else 'less'} on disk")
    return ", ".join(words) or "nothing to fetch"


def _takes_nothing(legs: Sequence[LegPlan]) -> bool:
    """Whether nothing of these legs is ever fetched: another edition is no other system."""
    return bool(legs) and all(leg.step(EditionStep) for leg in legs)


def what_else_changes(legs: Sequence[LegPlan]) -> str:
    """What legs change that is no package, in a line; the restart behind them goes without it."""
    steps = (step for leg in legs for step in leg.other_steps)
    return ", ".join(s.summary for s in steps if s.summary and not isinstance(s, RestartStep))
