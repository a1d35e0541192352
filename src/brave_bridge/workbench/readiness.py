"""Making a machine ready: updates, remedies, decisions, notes and the settings backup."""

import shlex
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.crossing.bring_up_to_date import Looked, look_for_updates
from brave_bridge.core.estimate import read_window
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.packages.updates import Update
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import TAKE_UP_SOURCES, Finding, Verdict
from brave_bridge.families.family import Family
from brave_bridge.families.registry import family_named
from brave_bridge.runner.briefs import RemedyBrief, SourcesBrief, UpdateBrief
from brave_bridge.snapshots.settings_archive import SettingsArchive
from brave_bridge.snapshots.settings_texts import archive_texts
from brave_bridge.store.opening import notes_to_write
from brave_bridge.store.rows import now
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.decisions import (
    Decisions,
    Overrule,
    change_decisions,
    decide,
    read_decisions,
)
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.record import Surveyed
from brave_bridge.workbench.refusal import Refused

if TYPE_CHECKING:
    from brave_bridge.store.field_notes import FieldNotes


class PendingUpdates(msgspec.Struct, frozen=True):
    """What a look for updates found: sizes and marks come from the indices."""

    updates: tuple[Update, ...]
    new: tuple[str, ...]
    removed: tuple[str, ...]
    kept_back: tuple[str, ...]
    failed_sources: tuple[str, ...]
    restart_wanted: bool


class Readiness:
    """What can be done at a desk so that its machine becomes ready for a leg."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    # Up to date first

    def _family(self) -> Family:
        name = self.desk.family()
        family = family_named(name)
        if family.commands is None:
            raise Refused("updating", f"machines of the {name} family cannot be updated yet")
        return family

    def look(self, tell: Callable[[str], None] | None = None) -> PendingUpdates:
        """Fetch what the sources have and list what is pending; Refused where that fails."""
        from brave_bridge.runner.inline import drive

        self.desk.must_have_no_open_leg("looking for updates")
        script = look_for_updates(self._family().commands)
        looked = drive(script, self.desk.performer("look"), tell)
        if looked.failure:
            raise Refused("looking for updates", looked.failure, "check the sources and the link")
        self.note_refresh(looked.failed_sources)
        return _listed(looked, self.desk.facts())

    def note_refresh(self, failed_sources: tuple[str, ...]) -> None:
        """Remember which sources the newest refresh could not reach."""
        decide(self.desk.machine, failed_sources=failed_sources, refreshed_at=now())

    def begin_update(self, *, unattended: bool) -> str:
        """Begin to bring the present release up to date in a runner; the procedure's id."""
        self.desk.must_have_no_open_leg("updating")
        brief = UpdateBrief(self._family().name)
        return begin(self.desk, "update", "updates of the present release", brief, unattended)

    def begin_remedy(self, finding: Finding) -> str:
        """Begin to carry out a finding's commands in a runner; the procedure's id."""
        if finding.deed == TAKE_UP_SOURCES:
            return self.begin_taking_up()
        if not finding.fix:
            raise Refused("mending", "this point has no commands to run", finding.remedy)
        brief = RemedyBrief(finding.title, finding.fix, self.desk.family())
        return begin(self.desk, "remedy", f"mend: {finding.title}", brief, True)

    def begin_taking_up(self) -> str:
        """Begin to take up sources that wait, in a runner; Refused where none waits."""
        family, facts = self._family(), self.desk.facts()
        routes = self.desk.standings(facts)[0]
        known = family.sources
        found = known.waiting(facts.source_files, routes.line, routes.here) if known else ()
        waiting = tuple(found)
        if not waiting:
            raise Refused("taking up sources", "no source waits for a release")
        brief = SourcesBrief(family.name, waiting)
        return begin(self.desk, "sources", "sources that wait", brief, True)

    # Decisions

    @property
    def decisions(self) -> Decisions:
        """What was decided about the machine so far."""
        return read_decisions(self.desk.machine)

    def _decide(self, change: Callable[[Decisions], dict[str, object]]) -> None:
        """Change fields of what was decided, as it is when nobody else changes it."""
        change_decisions(
            self.desk.machine, lambda known: msgspec.structs.replace(known, **change(known))
        )

    def overrule(self, surveyed: Surveyed, rule: str, reason: str) -> Overrule:
        """Let a rule's stop stand for the leg ahead; Refused without a reason or where it may not.

        The reason is kept with the machine, and told wherever the finding is.
        """
        found = [f for f in surveyed.findings if f.id == rule and f.verdict is Verdict.STOP]
        if not found:
            raise Refused("overruling", f"no stop of the rule {rule} stands")
        if not found[0].can_be_overruled:
            raise Refused("overruling", f"{found[0].title}: this must be mended", found[0].remedy)
        if not reason.strip():
            raise Refused("overruling", "it needs a reason", "say why it may stand")
        route = surveyed.route
        leg = route.legs[0].key if route and route.legs else ""
        made = Overrule(rule, leg, reason.strip(), now(), found[0].title)

        def overruled(known: Decisions) -> dict[str, object]:
            others = (o for o in known.overrules if (o.rule, o.leg) != (rule, leg))
            return {"overrules": (*others, made)}

        self._decide(overruled)
        return made

    def uphold(self, rule: str) -> None:
        """Take back that a rule's stop may stand; Refused where nothing was overruled."""
        if all(o.rule != rule for o in self.decisions.overrules):
            raise Refused("upholding", f"the rule {rule} is not overruled")
        self._decide(
            lambda known: {"overrules": tuple(o for o in known.overrules if o.rule != rule)}
        )

    def confirm_backup(self, day: str = "") -> str:
        """Note that home and data were backed up on an ISO day, today by default."""
        try:
            confirmed = datetime.fromisoformat(day).date() if day else self.desk.today()
        except ValueError as error:
            raise Refused("confirming a backup", f"{day!r} is no day", "2026-11-25") from error
        decide(self.desk.machine, backup_confirmed=str(confirmed))
        return str(confirmed)

    def set_window(self, text: str) -> None:
        """Set the maintenance window (``Sat 22:00-02:00``); an empty text takes it away."""
        try:
            decide(self.desk.machine, window=read_window(text) if text.strip() else None)
        except ValueError as error:
            raise Refused("setting the window", str(error)) from error

    def set_maintenance(self, enter: str, leave: str) -> None:
        """Add a command that enters a maintenance state and the one that leaves it again."""
        try:
            ways = tuple(shlex.split(enter)), tuple(shlex.split(leave))
        except ValueError as error:
            raise Refused("setting the maintenance state", str(error)) from error
        if not all(ways):
            raise Refused("setting the maintenance state", "it needs a way in and a way out")
        self._decide(
            lambda known: {
                "maintenance": (*known.maintenance, ways[0]),
                "maintenance_left": (*known.maintenance_left, ways[1]),
            }
        )

    def forget_maintenance(self) -> None:
        """Forget all commands of the maintenance state."""
        decide(self.desk.machine, maintenance=(), maintenance_left=())

    # Notes and backups

    def write_note(
        self, surveyed: Surveyed, severity: str, text: str, workaround: str = ""
    ) -> FieldNote:
        """Write a field note about the leg ahead; Refused where there is no leg."""
        if not (surveyed.route and surveyed.route.legs):
            raise Refused("writing a note", "there is no leg ahead that it could be about")
        leg = surveyed.route.legs[0].key
        notes = self._notes()
        try:
            number = notes.write(leg, self.desk.machine.name, severity, text, workaround)
            return next(note for note in notes.all() if note.id == number)
        except ValueError as error:
            raise Refused("writing a note", str(error)) from error
        finally:
            notes.close()

    def lift_note(self, number: int, why: str) -> FieldNote:
        """Say that a note no longer holds; Refused where there is no such note."""
        notes = self._notes()
        try:
            return notes.lift(number, why)
        except KeyError as error:
            raise Refused("lifting a note", f"there is no note {number}") from error
        finally:
            notes.close()

    def _notes(self) -> "FieldNotes":
        return notes_to_write(state_of_fleet(self.desk.target.kind))

    def back_up_settings(self, folder: Path | None = None) -> SettingsArchive:
        """Archive the settings into the state folder, or into a folder that is named."""
        stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S")
        more = family_named(self.desk.family()).settings
        texts = archive_texts(self.desk.facts())
        return self.desk.beside.archives.settings(texts, stamp, str(folder or ""), more)


def _listed(looked: Looked, facts: Facts) -> PendingUpdates:
    known = {update.name: update for update in facts.updates}
    return PendingUpdates(
        updates=tuple(
            sorted(
                (_marked(update, known.get(update.name)) for update in looked.outlook.updates),
                key=lambda update: (not update.security, update.name),
            )
        ),
        new=looked.outlook.new,
        removed=looked.outlook.removed,
        kept_back=looked.outlook.kept_back,
        failed_sources=looked.failed_sources,
        restart_wanted=facts.activity.restart_wanted,
    )


def _marked(update: Update, known: Update | None) -> Update:
    """An update with the size and the mark that the indices have for it."""
    if known is None or known.new != update.new:
        return update
    return msgspec.structs.replace(
        update, download_bytes=known.download_bytes, security=known.security
    )
