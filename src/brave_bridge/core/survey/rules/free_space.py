"""Is there room for the leg?"""

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.releases.standing import EDITION
from brave_bridge.core.survey.findings import Situation, caution, clear, rule, stop
from brave_bridge.core.survey.room import needs_at

MARGIN_BYTES = 200_000_000
"""Room left over beyond what the plan needs."""

ASSUMED_BYTES = 2_000_000_000
"""What a leg is taken to need before it is planned."""

_LOW_SHARE = 0.05
_WHERE_IT_GROWS = ("/", "/usr", "/var", "/var/cache")
"""The places that a leg writes to; what it fetches goes to the last."""


def needed_bytes(situation: Situation, path: str) -> int:
    """What the leg takes on the file system of a path at its largest, with a margin."""
    plan, assumed = situation.plan, _assumed(situation)
    fetch = plan.download_bytes if plan else assumed
    grow = plan.disk_bytes if plan else assumed
    need = sum(needs_at(situation.facts, path, fetch, grow))
    return need + MARGIN_BYTES if need else 0


def _assumed(situation: Situation) -> int:
    """What a leg that is not planned yet is taken to fetch, and to grow the system by.

    An image is written into a slot of its own, and another edition is no other system.
    """
    is_edition = bool(situation.legs) and situation.legs[0].scale == EDITION
    return 0 if situation.facts.image or is_edition else ASSUMED_BYTES // 2


@rule(
    "free-space",
    "space",
    asks="Is there room for the leg?",
    means="A full disk in the middle of a leg leaves it half done.",
    overrule=True,
    half_way=True,
)
def free_space(situation: Situation):
    basis = "the plan needs" if situation.plan else "a leg is taken to need"
    remedy = "Free space (old logs, fetched packages), or grow the file system."
    fix = situation.manager.clean
    for space in situation.facts.space:
        need = needed_bytes(situation, space.path)
        free = byte_size(space.free_bytes)
        if not need and space.path not in _WHERE_IT_GROWS:
            continue
        evidence = f"{space.path}: {free} free; {basis} {byte_size(need)}"
        if space.free_bytes < need:
            judged = stop if situation.plan else caution
            yield judged(f"Only {free} free on {space.path}", evidence, remedy, fix=fix)
        elif space.free_bytes < space.total_bytes * _LOW_SHARE:
            yield caution(f"{space.path} is nearly full: {free} left", evidence, remedy, fix=fix)
        else:
            yield clear(f"{free} free on {space.path}", evidence)
