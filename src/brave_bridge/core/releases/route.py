"""Routes: the ordered legs from the release a machine has to the one it wants."""

from collections import deque
from datetime import date

import msgspec

from brave_bridge.core.releases.catalogue import Leg, Release, ReleaseLine, leg_of


class RefusedMove(msgspec.Struct, frozen=True):
    """A move that is not supported, and why."""

    start: str
    end: str
    reason: str


class Route(msgspec.Struct, frozen=True):
    """A route, or the reasons why there is none. ``legs`` is empty in that case."""

    line: str
    start: Release
    end: Release
    legs: tuple[Leg, ...]
    refused: tuple[RefusedMove, ...]

    @property
    def title(self) -> str:
        """As a person says it: ``11 bullseye to 13 trixie in 2 legs``."""
        legs = "1 leg" if len(self.legs) == 1 else f"{len(self.legs)} legs"
        return f"{self.start.title} to {self.end.title} in {legs}"


def find_route(line: ReleaseLine, here: Release, there: Release, today: date) -> Route:
    """The shortest route over supported legs to a release that is out by ``today``.

    A direct move that the line does not support is listed among the refused ones,
    whether or not a longer route exists.
    """
    legs = _shortest(line, here, there, today)
    return Route(line.id, here, there, legs, tuple(_refusals(line, here, there, legs, today)))


def _shortest(line: ReleaseLine, here: Release, there: Release, today: date) -> tuple[Leg, ...]:
    if here.key == there.key:
        return ()
    paths: deque[tuple[Leg, ...]] = deque([()])
    reached = {here.key}
    while paths:
        path = paths.popleft()
        at = path[-1].end.key if path else here.key
        for rule in line.legs:
            if rule.start != at or rule.end in reached:
                continue
            leg = leg_of(line, rule)
            if not leg.end.is_out(today):
                continue
            if leg.end.key == there.key:
                return (*path, leg)
            reached.add(rule.end)
            paths.append((*path, leg))
    return ()


def _refusals(line: ReleaseLine, here: Release, there: Release, legs: tuple[Leg, ...], today: date):
    if here.key == there.key:
        yield RefusedMove(here.key, there.key, f"the machine already has {there.title}")
    elif not there.is_out(today):
        yield RefusedMove(here.key, there.key, f"{there.title} is not out yet")
    elif line.releases.index(there) < line.releases.index(here):
        yield RefusedMove(
            here.key,
            there.key,
            f"{there.title} is older than {here.title}: use a way back instead of a leg",
        )
    elif len(legs) != 1:
        yield RefusedMove(here.key, there.key, _no_direct_move(line, here, there, legs))


def _no_direct_move(line: ReleaseLine, here: Release, there: Release, legs: tuple[Leg, ...]) -> str:
    stops = [leg.end.title for leg in legs[:-1]]
    if stops:
        way = f"it is supported only by way of {', '.join(stops)}"
    else:
        way = "no supported leg leads there"
    return f"{here.title} straight to {there.title} is refused: {line.rule}; {way}"


def default_target(
    line: ReleaseLine, here: Release, today: date, *, long_term_only: bool = False
) -> Release | None:
    """The release to offer: the end of the first leg that is open, long-term ones first.

    ``long_term_only``: no other where a leg leads to such a one.
    """
    ends = [leg_of(line, rule).end for rule in line.legs if rule.start == here.key]
    ends = [end for end in ends if end.is_out(today)]
    if here.long_term or long_term_only:
        ends.sort(key=lambda end: not end.long_term)
    return ends[0] if ends else None
