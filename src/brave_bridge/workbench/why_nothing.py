"""Why no leg can be begun now: one answer, the nearest first, with the first thing to do."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.releases.catalogue import Release
from brave_bridge.core.releases.open_legs import NOT_OUT
from brave_bridge.core.survey.findings import Finding, Verdict
from brave_bridge.workbench.outlook.routes import Routes
from brave_bridge.workbench.record import Surveyed

OPEN_LEG, RESTART, UPDATES = "open-leg", "restart", "updates"
TRACK, NOT_YET, NOTE, CLOSED, METADATA, NEWEST, STOP = (
    "track",
    "not-out",
    "field-note",
    "closed-leg",
    "metadata",
    "newest",
    "stop",
)

_FIRST = {"open-leg": OPEN_LEG, "restart-pending": RESTART, "pending-updates": UPDATES}
"""The findings that come before any question about the way, and what each is called."""

_OTHER = {"field-notes": NOTE, "leg-conditions": CLOSED}
_METADATA = ("catalogue-age", "release-table", "known-release")


class NothingOffered(msgspec.Struct, frozen=True):
    """Why nothing is offered. ``cause`` is one word for programs, ``do`` the first thing to do."""

    cause: str
    why: str
    do: str


def why_nothing(surveyed: Surveyed) -> NothingOffered | None:
    """Why no leg can be begun; None where one can."""
    return next(_answers(surveyed), None)


def _answers(surveyed: Surveyed) -> Iterator[NothingOffered]:
    stops = {f.id: f for f in surveyed.findings if f.verdict is Verdict.STOP}
    for identifier, cause in _FIRST.items():
        if identifier in stops:
            yield _of(stops[identifier], cause)
    routes = surveyed.routes
    if routes is None:
        yield from _metadata(surveyed)
        yield NothingOffered(
            METADATA,
            f"{surveyed.facts.identity.name} is not in the release catalogue",
            "add a catalogue file for it (docs/catalogue.md)",
        )
        return
    goal = surveyed.goal or routes.goal()
    if goal is None:
        yield from _no_goal(surveyed, routes)
        return
    yield from _on_the_way(surveyed, routes)
    for finding in stops.values():
        yield _of(finding, _OTHER.get(finding.id, STOP))


def _of(finding: Finding, cause: str) -> NothingOffered:
    return NothingOffered(cause, f"{finding.title} ({finding.evidence})", finding.remedy)


def _on_the_way(surveyed: Surveyed, routes: Routes) -> Iterator[NothingOffered]:
    """What closes the way to the goal."""
    route = surveyed.route
    if route is None or route.is_open:
        return
    if _is_ahead(route.end, routes):
        words = f"{route.end.title} is not out yet"
        yield NothingOffered(NOT_YET, words, "wait, or choose another release")
    for closed in route.closed:
        if closed.cause == NOT_OUT:
            yield NothingOffered(NOT_YET, closed.words, "wait, or choose another release")
        yield NothingOffered(CLOSED, closed.words, "mend what closes it, or choose another way")
    yield NothingOffered(CLOSED, route.why_not, f"choose another release than {route.end.title}")


def _no_goal(surveyed: Surveyed, routes: Routes) -> Iterator[NothingOffered]:
    """Nothing is ahead: because of the track, because nothing is out, or nobody knows of it."""
    track = routes.track()
    reachable = [route.end for route in routes.later() if route.is_open]
    if track.long_term_only and reachable:
        names = ", ".join(release.title for release in reachable)
        by = f" (set in {track.setting})" if track.setting else ""
        why = f"only long-term releases are offered{by}; {names} is none"
        yield NothingOffered(TRACK, why, "brave-bridge track every offers it")
    closed = [closed for route in routes.later() for closed in route.closed]
    for leg in closed:
        if leg.cause != NOT_OUT:
            yield NothingOffered(CLOSED, leg.words, "mend what closes it")
    yield from _metadata(surveyed)
    for route in routes.later():
        if _is_ahead(route.end, routes):
            words = f"{route.end.title} is not out yet"
            yield NothingOffered(NOT_YET, words, "nothing to do until it is")
    why = f"{routes.here.title} is the newest release of {routes.line.name}"
    yield NothingOffered(NEWEST, why, "nothing to do until a newer release is out")


def _is_ahead(release: Release, routes: Routes) -> bool:
    return release.released is None or release.released > routes.today


def _metadata(surveyed: Surveyed) -> Iterator[NothingOffered]:
    """What is known of releases may be too old to know the next one."""
    for finding in surveyed.findings:
        if finding.id in _METADATA and finding.verdict in (Verdict.CAUTION, Verdict.STOP):
            yield NothingOffered(METADATA, finding.title, finding.remedy)
