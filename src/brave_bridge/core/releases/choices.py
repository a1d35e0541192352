"""The ways that a machine is offered: the shortest, the safest, and to a long-term release."""

from collections.abc import Iterator
from datetime import date

import msgspec

from brave_bridge.core.releases.catalogue import Leg, Release, ReleaseLine
from brave_bridge.core.releases.open_legs import ClosedLeg, Stands, legs_for
from brave_bridge.core.releases.ways import Way, best_ways, has_brief_support

SHORTEST, SAFEST, TO_LONG_TERM = "shortest", "safest", "long-term"


class Choice(msgspec.Struct, frozen=True):
    """A way, why it is offered, and what to know about each stop on it."""

    kinds: tuple[str, ...]
    legs: tuple[Leg, ...]
    remarks: tuple[str, ...]

    @property
    def end(self) -> Release:
        """Where it leads."""
        return self.legs[-1].end

    @property
    def asks_for_safest(self) -> bool:
        """Whether it has to be asked for as the safest, because a shorter one leads there."""
        return SHORTEST not in self.kinds


class Choices(msgspec.Struct, frozen=True):
    """The ways that are offered, best first, and the legs that are closed."""

    ways: tuple[Choice, ...]
    closed: tuple[ClosedLeg, ...]


def choose_ways(
    line: ReleaseLine, here: Release, today: date, stands: Stands, there: Release | None = None
) -> Choices:
    """The ways from ``here`` to ``there``, or as far as a line goes where that is open.

    One way may be several kinds at once: it is listed once, with all of them.
    """
    legs = legs_for(line, here, today, stands)
    shortest = best_ways(here, legs.open, today, stands, safest=False)
    safest = best_ways(here, legs.open, today, stands, safest=True)
    reached = [r for r in line.releases if r.key in shortest]
    newest = there or (reached[-1] if reached else None)
    lasting = next((r for r in reversed(reached) if r.long_term), None)
    picked: dict[tuple[str, ...], tuple[Way, list[str]]] = {}
    for kind, ways, end in (
        (SHORTEST, shortest, newest),
        (SAFEST, safest, newest),
        (TO_LONG_TERM, safest, lasting),
    ):
        if end is not None and (way := ways.get(end.key)):
            picked.setdefault(tuple(leg.key for leg in way), (way, []))[1].append(kind)
    return Choices(
        tuple(
            Choice(tuple(kinds), way, tuple(_remarks(way, today, stands)))
            for way, kinds in picked.values()
        ),
        legs.closed,
    )


def _remarks(way: Way, today: date, stands: Stands) -> Iterator[str]:
    """What to know about the stops: support that ends soon, legs that should wait."""
    for leg in way:
        days = leg.end.support_days(today)
        if days is not None and days < 0:
            ended = leg.end.support_ends
            yield f"{leg.end.title} has had no fixes since {ended}: do not rest there"
        elif has_brief_support(leg.end, today):
            yield f"{leg.end.title} gets fixes for {days} days more"
        if stands.should_wait(leg):
            yield f"{leg.title} should wait"
    if stands.long_term_only and not way[-1].end.long_term:
        yield f"{way[-1].end.title} is no long-term release: it leaves the chosen track"


def consequence_of_track(
    line: ReleaseLine, here: Release, today: date, stands: Stands, *, long_term_only: bool
) -> str:
    """What changing the track would mean for a machine, in a sentence."""
    ways = choose_ways(line, here, today, stands).ways
    newest = next((way.end for way in ways if SHORTEST in way.kinds), None)
    lasting = next((way.end for way in ways if TO_LONG_TERM in way.kinds), None)
    if long_term_only:
        if lasting is None:
            return f"No later long-term release is out: it would stay on {here.title}."
        return f"It would be offered {lasting.title}{_until(lasting)} and nothing between."
    if newest is None:
        return f"Nothing later is out: it would stay on {here.title}."
    if newest.long_term:
        return f"It would be offered every release; the newest is {newest.title}{_until(newest)}."
    return (
        f"It would be offered every release; the newest, {newest.title}, is supported"
        f"{_until(newest)} and asks for a leg each time one ends."
    )


def _until(release: Release) -> str:
    return f" until {release.support_ends}" if release.support_ends else ""
