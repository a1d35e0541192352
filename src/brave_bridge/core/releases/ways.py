"""The best way to every release that can be reached, by length or by risk.

Dijkstra's algorithm: what a leg costs only adds up, so each release is settled once.
"""

import heapq
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from itertools import count
from operator import add

from brave_bridge.core.releases.catalogue import Leg, Release
from brave_bridge.core.releases.open_legs import Stands

Way = tuple[Leg, ...]
Cost = tuple[int, ...]

_LASTING_DAYS = 180


def best_ways(
    here: Release, legs: Mapping[str, Sequence[Leg]], today: date, stands: Stands, *, safest: bool
) -> dict[str, Way]:
    """The best way from ``here`` to each release over these legs (by where they start).

    Of ways as good as each other, the one whose legs the line names first.
    """

    def cost(leg: Leg) -> Cost:
        risk = _risk(leg, today, stands)
        return (*risk, 1) if safest else (1, *risk)

    return _cheapest(here, legs, cost)


def _cheapest(
    here: Release, legs: Mapping[str, Sequence[Leg]], cost: Callable[[Leg], Cost]
) -> dict[str, Way]:
    best: dict[str, Way] = {}
    order = count()
    queue: list[tuple[Cost, int, Way]] = [((), next(order), ())]
    while queue:
        spent, _, way = heapq.heappop(queue)
        at = way[-1].end.key if way else here.key
        if at in best:
            continue
        best[at] = way
        for leg in legs.get(at, ()):
            if leg.end.key not in best:
                total = tuple(map(add, spent, cost(leg))) if spent else cost(leg)
                heapq.heappush(queue, (total, next(order), (*way, leg)))
    del best[here.key]
    return best


def _risk(leg: Leg, today: date, stands: Stands) -> Cost:
    """What speaks against a leg: waits, a stop with little support left, an interim one, cautions.

    Cautions count last: most of them a person can prepare for.
    """
    cautions = stands.cautions.get(leg.key, 0)
    brief = has_brief_support(leg.end, today)
    return int(stands.should_wait(leg)), int(brief), int(not leg.end.long_term), cautions


def lasts(release: Release, today: date) -> int:
    """For how many days it is supported, half a year at most; negative where that is past."""
    days = release.support_days(today)
    return _LASTING_DAYS if days is None else min(days, _LASTING_DAYS)


def has_brief_support(release: Release, today: date) -> bool:
    """Whether its support ends within half a year, or has ended."""
    return lasts(release, today) < _LASTING_DAYS
