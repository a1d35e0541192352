"""The ways of one machine over the legs of its line, under what was decided about it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from datetime import date
from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.assignments import value_of
from brave_bridge.core.releases.catalogue import Release, ReleaseLine, leg_of
from brave_bridge.core.releases.choices import Choices, choose_ways, consequence_of_track
from brave_bridge.core.releases.open_legs import Stands
from brave_bridge.core.releases.route import Route, default_target, find_route
from brave_bridge.core.releases.standing import RELEASE, scale_of
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.known_trouble import HERE, concerning
from brave_bridge.core.survey.products import ProductSeen
from brave_bridge.workbench.refusal import Refused

if TYPE_CHECKING:
    from brave_bridge.workbench.decisions import Decisions


class Track(msgspec.Struct, frozen=True):
    """Which releases a machine is offered, and what the other track would mean."""

    long_term_only: bool
    other: str
    setting: str = ""
    """The file of the system's own setting that says so; empty where it says nothing."""


class Routes(msgspec.Struct, frozen=True):
    """Where a machine that has the release ``here`` can go."""

    line: ReleaseLine
    here: Release
    today: date
    stands: Stands

    def goal(self, name: str = "") -> Release | None:
        """The release of that name, or the one to offer; None where there is none."""
        wanted = self.line.release(name) if name else None
        return wanted or default_target(self.line, self.here, self.today, self.stands)

    def to(self, there: Release) -> Route:
        """The way to a release."""
        return find_route(self.line, self.here, there, self.today, self.stands)

    def named(self, name: str) -> Route:
        """The way to the release of that name, or to the one to offer; Refused without one."""
        if name and self.line.release(name) is None:
            known = ", ".join(release.key for release in self.line.releases)
            why = f"{self.line.name} has no {scale_of(name)} {name.rpartition(':')[2]}"
            raise Refused("finding a route", why, f"known: {known}")
        there = self.goal(name)
        if there is None:
            why = f"{self.here.title} is the end of every supported leg"
            raise Refused("finding a route", why, "nothing to do until a newer release is out")
        return self.to(there)

    def later(self) -> tuple[Route, ...]:
        """The ways to every later release of the line, or to every other stop of its scale."""
        stops = self.line.releases
        if self.line.scale == RELEASE or self.line.product:
            stops = stops[stops.index(self.here) + 1 :]
        return tuple(self.to(there) for there in stops if there != self.here)

    def offered(self, goal: Release | None) -> Choices:
        """The shortest and the safest way to the goal, and the one to the last long-term release.

        Without a goal, to the newest that can be reached.
        """
        return choose_ways(self.line, self.here, self.today, self.stands, goal)

    def track(self) -> Track:
        """Which releases the machine is offered, and what the other track would mean."""
        now = self.stands.long_term_only
        other = consequence_of_track(
            self.line, self.here, self.today, self.stands, long_term_only=not now
        )
        return Track(now, other, self.stands.track_from)


def all_routes(
    line: ReleaseLine,
    release: Release,
    facts: Facts,
    today: date,
    stands: Stands,
    products: Iterable[ProductSeen] = (),
) -> tuple[Routes, ...]:
    """Where a machine can go, scale by scale; one on which nobody knows where it stands is none.

    ``products`` are its other identities, which have releases and legs of their own.
    """
    found = [Routes(line, release, today, stands)]
    for scale in line.scales:
        shown = line.on(scale.kind)
        here = shown.stop_at(facts.standing(scale.kind))
        if here is not None:
            found.append(Routes(shown, here, today, stands))
    for product in products:
        if product.release is not None:
            on_it = msgspec.structs.replace(
                stands, version=product.version, base=release, base_name=line.name
            )
            found.append(Routes(product.line, product.release, today, on_it))
    return tuple(found)


def routes_to(standings: tuple[Routes, ...], to: str) -> Routes:
    """The routes of the scale that a goal is of; without one, the first that leads anywhere."""
    if to:
        wanted = (one for one in standings if one.line.scale == scale_of(to))
    else:
        wanted = (one for one in standings if one.goal() is not None)
    return next(wanted, standings[0])


def own_track(line: ReleaseLine, facts: Facts) -> bool | None:
    """Whether the system's own setting wants long-term releases alone; None: it does not say."""
    setting, looked = line.track_setting, facts.looked_at
    if setting is None or looked is None:
        return None
    value = value_of("\n".join(looked.lines.get(setting.path, ())), setting.key)
    return {setting.long_term: True, setting.every: False}.get(value)


def stands_of(
    line: ReleaseLine, facts: Facts, decisions: Decisions, notes: Iterable[FieldNote]
) -> Stands:
    """What a machine is and wants, as far as routes ask."""
    identity = facts.identity
    troubles = [
        (leg_of(line, rule).key, trouble.issue.severity)
        for rule in line.legs
        for trouble in concerning(rule.issues, facts)
        if trouble.verdict == HERE
    ]
    own = own_track(line, facts)
    waits = {note.leg for note in notes if note.holds and note.severity == "wait"}
    return Stands(
        version=identity.point_release or identity.version_id,
        edition=identity.edition,
        architecture=identity.architecture,
        long_term_only=decisions.long_term_only if own is None else own,
        track_from=line.track_setting.path if line.track_setting and own is not None else "",
        safest=decisions.safest_way,
        waits=frozenset(waits | {key for key, severity in troubles if severity == "wait"}),
        cautions=Counter(key for key, severity in troubles if severity == "caution"),
    )
