"""Routes: the ordered legs from the release a machine has to the one it wants."""

from collections.abc import Iterator
from datetime import date

import msgspec

from brave_bridge.core.releases.catalogue import Leg, Release, ReleaseLine
from brave_bridge.core.releases.open_legs import ClosedLeg, Legs, Stands, legs_for
from brave_bridge.core.releases.standing import RELEASE
from brave_bridge.core.releases.ways import Way, best_ways, lasts


class RefusedMove(msgspec.Struct, frozen=True):
    """A move that is not supported, and why."""

    start: str
    end: str
    reason: str


class Route(msgspec.Struct, frozen=True):
    """A route, or the reasons why there is none. ``legs`` is empty in that case.

    ``closed`` are those of its legs that are not open to the machine now: it cannot be
    taken before what closes them is mended.
    """

    line: str
    start: Release
    end: Release
    legs: tuple[Leg, ...]
    refused: tuple[RefusedMove, ...]
    closed: tuple[ClosedLeg, ...] = ()

    @property
    def is_open(self) -> bool:
        """Whether it can be taken now."""
        return bool(self.legs) and not self.closed

    @property
    def why_not(self) -> str:
        """Why it cannot be taken now, in words."""
        reasons = [r.reason for r in self.refused] if not self.legs else []
        return "; ".join([*reasons, *(leg.words for leg in self.closed)])

    @property
    def title(self) -> str:
        """As a person says it: ``11 bullseye to 13 trixie in 2 legs``."""
        legs = "1 leg" if len(self.legs) == 1 else f"{len(self.legs)} legs"
        return f"{self.start.title} to {self.end.title} in {legs}"


def find_route(
    line: ReleaseLine, here: Release, there: Release, today: date, stands: Stands = Stands()
) -> Route:
    """The way to a release that is out by ``today``: over legs that are open to the machine.

    Where none is open, the way that would be, with what closes it. A direct move that the
    line does not support is listed among the refused ones, whether or not a longer route
    exists.
    """
    legs = legs_for(line, here, today, stands)
    way = _way(here, there, legs, today, stands)
    closed: tuple[ClosedLeg, ...] = ()
    if not way:
        way = _way(here, there, legs_for(line, here, today, Stands()), today, stands)
        on_it = {(leg.start.key, leg.end.key) for leg in way}
        closed = tuple(c for c in legs.closed if (c.start.key, c.end.key) in on_it)
    return Route(line.id, here, there, way, tuple(_refusals(line, here, there, way, today)), closed)


def _way(here: Release, there: Release, legs: Legs, today: date, stands: Stands) -> Way:
    return best_ways(here, legs.open, today, stands, safest=stands.safest).get(there.key, ())


def _refusals(
    line: ReleaseLine, here: Release, there: Release, legs: Way, today: date
) -> Iterator[RefusedMove]:
    if here.key == there.key:
        yield RefusedMove(here.key, there.key, f"the machine already has {there.title}")
    elif not there.is_out(today):
        yield RefusedMove(here.key, there.key, f"{there.title} is not out yet")
    elif line.scale == RELEASE and line.releases.index(there) < line.releases.index(here):
        yield RefusedMove(
            here.key,
            there.key,
            f"{there.title} is older than {here.title}: use a way back instead of a leg",
        )
    elif not any((rule.start, rule.end) == (here.key, there.key) for rule in line.legs):
        yield RefusedMove(here.key, there.key, _no_direct_move(line, here, there, legs))


def _no_direct_move(line: ReleaseLine, here: Release, there: Release, legs: Way) -> str:
    stops = [leg.end.title for leg in legs[:-1]]
    if stops:
        way = f"it is supported only by way of {', '.join(stops)}"
    else:
        way = "no supported leg leads there"
    return f"{here.title} straight to {there.title} is refused: {line.rule}; {way}"


def default_target(
    line: ReleaseLine, here: Release, today: date, stands: Stands = Stands()
) -> Release | None:
    """The release to offer: the end of the first open leg, those with lasting support first.

    A machine on a long-term release, or on that track, is offered long-term ones before all
    others; on a long-term release and that track, no others. Where no leg that is out is open, a
    closed one's end: it can be told why.
    """
    open_ends = [leg.end for leg in legs_for(line, here, today, stands).open.get(here.key, ())]
    out = legs_for(line, here, today, Stands()).open.get(here.key, ())
    ends = open_ends or [leg.end for leg in out]
    if here.long_term and stands.long_term_only:
        ends = [end for end in ends if end.long_term]
    wants_long_term = here.long_term or stands.long_term_only
    ends.sort(key=lambda end: (wants_long_term and not end.long_term, -lasts(end, today)))
    return ends[0] if ends else None
