"""The ways of one machine over the legs of its line, under what was decided about it."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.releases.catalogue import Release, ReleaseLine
from brave_bridge.core.releases.choices import Choices, choose_ways, consequence_of_track
from brave_bridge.core.releases.open_legs import Stands
from brave_bridge.core.releases.route import Route, default_target, find_route
from brave_bridge.core.survey.facts import Identity
from brave_bridge.workbench.refusal import Refused

if TYPE_CHECKING:
    from brave_bridge.workbench.keeping import Decisions


class Track(msgspec.Struct, frozen=True):
    """Which releases a machine is offered, and what the other track would mean."""

    long_term_only: bool
    other: str


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
            why = f"{self.line.name} has no release {name}"
            raise Refused("finding a route", why, f"known: {known}")
        there = self.goal(name)
        if there is None:
            why = f"{self.here.title} is the end of every supported leg"
            raise Refused("finding a route", why, "nothing to do until a newer release is out")
        return self.to(there)

    def later(self) -> tuple[Route, ...]:
        """The ways to every later release of the line."""
        later = self.line.releases[self.line.releases.index(self.here) + 1 :]
        return tuple(self.to(there) for there in later)

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
        return Track(now, other)


def stands_of(identity: Identity, decisions: Decisions, notes: Iterable[FieldNote]) -> Stands:
    """What a machine is and wants, as far as routes ask."""
    return Stands(
        version=identity.point_release or identity.version_id,
        edition=identity.edition,
        architecture=identity.architecture,
        long_term_only=decisions.long_term_only,
        safest=decisions.safest_way,
        waits=frozenset(note.leg for note in notes if note.holds and note.severity == "wait"),
    )
