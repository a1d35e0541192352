"""The ways from a release to another: the shortest, the safest, and to a long-term release.

A machine's own state counts: a leg that is for other editions or architectures, or that asks
for a later state of the present release, is closed to it, and the reason is told.
"""

from collections.abc import Iterator
from datetime import date

import msgspec

from brave_bridge.core.releases.catalogue import Leg, LegRule, Release, ReleaseLine, leg_of

SHORTEST, SAFEST, TO_LONG_TERM = "shortest", "safest", "to a long-term release"
_LONGEST = 24
_MOST_PATHS = 2_000
_SHORT_SUPPORT_DAYS = 180


class Stands(msgspec.Struct, frozen=True):
    """What a machine is, as far as legs ask: ``version`` as it calls itself (``11.9``).

    What is empty is not known, and closes nothing.
    """

    version: str = ""
    edition: str = ""
    architecture: str = ""
    long_term_only: bool = False
    """Its track: whether it wants to rest on long-term releases alone."""


class ClosedLeg(msgspec.Struct, frozen=True):
    """A leg of the line that is not open to a machine now, and why."""

    start: Release
    end: Release
    reason: str


class Choice(msgspec.Struct, frozen=True):
    """A way, why it is offered, and what to know about each stop on it."""

    kinds: tuple[str, ...]
    legs: tuple[Leg, ...]
    remarks: tuple[str, ...]

    @property
    def end(self) -> Release:
        """Where it leads."""
        return self.legs[-1].end


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
    legs, closed = _open_legs(line, here, today, stands)
    paths = list(_paths(here, legs))
    wanted = [path for path in paths if there is None or path[-1].end.key == there.key]
    picked: dict[tuple[str, ...], tuple[tuple[Leg, ...], list[str]]] = {}

    def offer(kind: str, candidates: list[tuple[Leg, ...]], rank) -> None:
        if candidates:
            best = min(candidates, key=rank)
            key = tuple(leg.key for leg in best)
            picked.setdefault(key, (best, []))[1].append(kind)

    furthest = _furthest(line, wanted)
    offer(SHORTEST, furthest, lambda path: (len(path), _risk(path, today)))
    offer(SAFEST, furthest, lambda path: (_risk(path, today), len(path)))
    lasting = [path for path in paths if path[-1].end.long_term]
    offer(
        TO_LONG_TERM,
        _furthest(line, lasting),
        lambda path: (_risk(path, today), len(path)),
    )
    ways = tuple(
        Choice(tuple(kinds), path, tuple(_remarks(path, today, stands)))
        for path, kinds in picked.values()
    )
    return Choices(ways, tuple(closed))


def _furthest(line: ReleaseLine, paths: list[tuple[Leg, ...]]) -> list[tuple[Leg, ...]]:
    """The paths to the newest of the releases that they lead to."""
    order = {release.key: number for number, release in enumerate(line.releases)}
    newest = max((order[path[-1].end.key] for path in paths), default=-1)
    return [path for path in paths if order[path[-1].end.key] == newest]


def _open_legs(
    line: ReleaseLine, here: Release, today: date, stands: Stands
) -> tuple[dict[str, list[Leg]], list[ClosedLeg]]:
    legs: dict[str, list[Leg]] = {}
    closed = []
    for rule in line.legs:
        leg = leg_of(line, rule)
        if why := _why_closed(rule, leg, here, today, stands):
            closed.append(ClosedLeg(leg.start, leg.end, why))
        else:
            legs.setdefault(rule.start, []).append(leg)
    return legs, closed


def _why_closed(rule: LegRule, leg: Leg, here: Release, today: date, stands: Stands) -> str:
    """Why a leg is not open to a machine; empty where it is."""
    if not leg.end.is_out(today):
        when = f"it comes {leg.end.released}" if leg.end.released else "no day is named"
        return f"{leg.end.title} is not out yet: {when}"
    if rule.editions and stands.edition and stands.edition not in rule.editions:
        return f"it is for {' and '.join(rule.editions)}, this is {stands.edition}"
    known = rule.architectures or leg.end.needs.architectures
    if known and stands.architecture and stands.architecture not in known:
        return f"{leg.end.title} does not exist for {stands.architecture}"
    asks = rule.at_least if rule.start == here.key else ""
    if asks and stands.version and _numbers(stands.version) < _numbers(asks):
        return f"it asks for {asks} at least, this is {stands.version}: update first"
    return ""


def _numbers(version: str) -> tuple[int, ...]:
    """A release's version as numbers: 11.9 is before 11.10."""
    digits = "".join(c if c.isascii() and c.isdigit() else " " for c in version[:80])
    return tuple(int(word) for word in digits.split())


def _paths(here: Release, legs: dict[str, list[Leg]]) -> Iterator[tuple[Leg, ...]]:
    """Every way that never comes back to a release, the short ones first."""
    row: list[tuple[Leg, ...]] = [(leg,) for leg in legs.get(here.key, ())]
    count = 0
    while row:
        following = []
        for path in row:
            yield path
            count += 1
            met = {here.key, *(leg.end.key for leg in path)}
            if len(path) < _LONGEST and count < _MOST_PATHS:
                onward = legs.get(path[-1].end.key, ())
                following += [(*path, leg) for leg in onward if leg.end.key not in met]
        row = following


def _risk(path: tuple[Leg, ...], today: date) -> tuple[int, int, int]:
    """What speaks against a way: waits, stops without lasting support, cautions."""
    issues = [issue.severity for leg in path for issue in leg.issues]
    stops = [leg.end for leg in path]
    brief = sum(not stop.long_term or _is_brief(stop, today) for stop in stops)
    return issues.count("wait"), brief, issues.count("caution")


def _is_brief(release: Release, today: date) -> bool:
    days = release.support_days(today)
    return days is not None and days < _SHORT_SUPPORT_DAYS


def _remarks(path: tuple[Leg, ...], today: date, stands: Stands) -> Iterator[str]:
    """What to know about the stops: support that ends soon, legs that should wait."""
    for leg in path:
        days = leg.end.support_days(today)
        if days is not None and days < 0:
            ended = leg.end.support_ends
            yield f"{leg.end.title} has had no fixes since {ended}: do not rest there"
        elif _is_brief(leg.end, today):
            yield f"{leg.end.title} gets fixes for {days} days more"
        if any(issue.severity == "wait" for issue in leg.issues):
            yield f"{leg.title}: something known says wait"
    if stands.long_term_only and not path[-1].end.long_term:
        yield f"{path[-1].end.title} is no long-term release: it leaves the chosen track"


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
