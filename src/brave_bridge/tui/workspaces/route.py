"""Route: which way, and why not straight?"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from brave_bridge.tui.actions import Action
from brave_bridge.tui.dialogs import Confirm, WriteNote
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Page, Row


class RouteWorkspace(Workspace):
    """Every later release, and the way there."""

    KEY, NAME, WORDS = "3", "route", "Route"
    ACTIONS = (
        Action("plan", "p", "plan", "Plan the way to the goal", command="plan"),
        Action(
            "note",
            "i",
            "write a field note",
            "Write what was learnt about the leg ahead",
            command="note",
        ),
        Action(
            "track",
            "y",
            "change the track",
            "Which releases the machine is offered",
            command="track",
        ),
    )
    CHOSEN = {"goal": "choose_goal", "way": "take_way"}
    ENTER = "make it the goal"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.route import route_page

        return route_page(record, datetime.now(UTC).date())

    def choose_goal(self, row: Row) -> None:
        """Make a release the one that the machine shall reach."""
        record = self.record
        if record is not None:
            self.app.harbour.set_goal(record.name, row.key)
            self.app.read_machines([record.name])

    def take_way(self, row: Row) -> None:
        """Make the end of a way the goal, and go there by the shortest or by the safest one."""
        record = self.record
        if record is not None:
            self.app.harbour.set_goal(record.name, row.of.end)
            safest = row.of.safest
            self.do(record.name, "taking the way", lambda desk: _keep_way(desk, safest))

    def action_plan(self) -> None:
        """Plan the way, where a plan is looked at."""
        self.app.do_at("plan", "plan")

    def action_track(self) -> None:
        """Change which releases the machine is offered, once its consequence was shown."""
        record = self.record
        track = record.track if record else None
        if record is None or track is None:
            self.warn("Which releases this machine could be offered is not known.")
            return

        def change(agreed: bool | None) -> None:
            if agreed:
                wanted = not track.long_term_only
                self.do(record.name, "changing the track", lambda desk: _keep_track(desk, wanted))

        other = "every release" if track.long_term_only else "long-term releases alone"
        self.app.push_screen(Confirm(f"{record.name}: offer {other}?", [track.other]), change)

    def action_note(self) -> None:
        """Write a field note about the leg ahead."""
        from brave_bridge.workbench.readiness import Readiness

        record = self.record
        legs = record.route.legs if record and record.route else ()
        if record is None or not legs:
            why = "There is no leg ahead that a note could be about."
            unread = record is None or record.surveyed is None
            self.warn("The machine is still being read." if unread else why)
            return

        def keep(written: tuple[str, str, str] | None) -> None:
            if written:
                self.do(
                    record.name,
                    "writing the note",
                    lambda desk: Readiness(desk).write_note(record.surveyed, *written),
                )

        self.app.push_screen(WriteNote(legs[0].title), keep)


def _keep_way(desk: Desk, safest: bool) -> None:
    from brave_bridge.workbench.decisions import keep_way

    desk.must_read_records()
    keep_way(desk.machine, safest=safest)


def _keep_track(desk: Desk, long_term_only: bool) -> None:
    from brave_bridge.workbench.planning.track import change_track

    change_track(desk, long_term_only=long_term_only)
