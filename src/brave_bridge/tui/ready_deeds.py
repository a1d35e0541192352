"""The deeds that make a machine ready: updates, remedies, overrules, notes, backups."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted, plain, shortened
from brave_bridge.tui.dialogs import AskReason, ConfirmByName, WriteNote

if TYPE_CHECKING:
    from brave_bridge.core.survey.findings import Finding
    from brave_bridge.tui.harbour import Harbour

_RESTART = ("systemctl", "reboot")


class ReadyDeeds:
    """Mixed into the application beside ``Deeds``, whose ``_do`` it uses."""

    harbour: Harbour

    def _finding(self) -> Finding | None:
        """The finding under the cursor of the Survey workspace."""
        from brave_bridge.workbench.pages.survey import finding_at

        row = self.workspace.ledger.pointed if self.place == "survey" else None
        record = self.harbour.record()
        return finding_at(record, row.key) if row is not None and record else None

    def action_read_again(self) -> None:
        """Survey again; the next survey is held against this one."""
        name = self.harbour.current
        self._do("surveying", lambda desk: self.harbour.remember(name))

    def action_update(self) -> None:
        """Look what is pending, then ask whether to install it."""
        from brave_bridge.workbench.readiness import Readiness

        self._do("looking for updates", lambda desk: Readiness(desk).look(), self._offer_updates)

    def _offer_updates(self, pending) -> None:
        from brave_bridge.workbench.readiness import Readiness

        if not (pending.updates or pending.new or pending.restart_wanted):
            self.notify("No update is pending.", title="up to date")
            return

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.place = "crossing"
                self._do("updating", lambda desk: Readiness(desk).begin_update(unattended=False))

        name = self.harbour.current
        self.push_screen(ConfirmByName("Bring it up to date", _told(pending), name), begin)

    def action_mend(self) -> None:
        """Run the commands that mend the finding under the cursor."""
        from brave_bridge.workbench.readiness import Readiness

        finding = self._finding()
        if finding is None or not (finding.fix or finding.deed):
            self.notify("This point has nothing that can be done from here.", severity="warning")
            return

        def begin() -> None:
            self.place = "crossing"
            self._do("mending", lambda desk: Readiness(desk).begin_remedy(finding))

        if _RESTART not in finding.fix:
            begin()
            return
        lines = ["It shuts down now and comes up again.", "Whoever works on it is interrupted."]
        self.push_screen(
            ConfirmByName("Restart the machine", lines, self.harbour.current),
            lambda agreed: begin() if agreed else None,
        )

    def action_overrule(self) -> None:
        """Let the stop under the cursor stand, once a reason is given."""
        from brave_bridge.workbench.readiness import Readiness

        finding, record = self._finding(), self.harbour.record()
        if finding is None or not finding.can_be_overruled:
            self.notify("Only some stops may be overruled; this is none.", severity="warning")
            return

        def keep(reason: str | None) -> None:
            if reason:
                self._do(
                    "overruling",
                    lambda desk: Readiness(desk).overrule(record.surveyed, finding.id, reason),
                )

        lines = [plain(f"■ {finding.title}"), "", finding.meaning, "", "The reason is kept."]
        self.push_screen(AskReason("Let it stand", lines, "why it may stand"), keep)

    def action_confirm_backup(self) -> None:
        """Note that home folders and data are backed up as of today."""
        from brave_bridge.workbench.readiness import Readiness

        self._do(
            "noting the backup",
            lambda desk: Readiness(desk).confirm_backup(),
            lambda day: self.notify(f"A backup of home and data of {day} is noted."),
        )

    def action_back_up_settings(self) -> None:
        """Archive the settings."""
        from brave_bridge.workbench.readiness import Readiness

        self._do(
            "archiving the settings",
            lambda desk: Readiness(desk).back_up_settings(),
            lambda made: self.notify(
                f"{made.path}\n{counted(made.entries, 'path')}", title="settings backup"
            ),
        )

    def action_note(self) -> None:
        """Write a field note about the leg ahead."""
        from brave_bridge.workbench.readiness import Readiness

        record = self.harbour.record()
        legs = record.route.legs if record and record.route else ()
        if not legs:
            why = "There is no leg ahead that a note could be about."
            unread = record is None or record.surveyed is None
            self.notify("The machine is still being read." if unread else why, severity="warning")
            return

        def keep(written: tuple[str, str, str] | None) -> None:
            if written:
                self._do(
                    "writing the note",
                    lambda desk: Readiness(desk).write_note(record.surveyed, *written),
                )

        self.push_screen(WriteNote(legs[0].title), keep)


def _told(pending) -> list[str]:
    """What an update would do, for the confirmation."""
    security = sum(update.security for update in pending.updates)
    lines = [
        f"{counted(len(pending.updates), 'update')}, {security} of them security fixes, "
        f"{len(pending.new)} new",
    ]
    updates = [plain(f"{u.name} {u.old} → {u.new}", 67) for u in pending.updates]
    lines += [f"   {words}" for words in shortened(updates, 8)]
    lines += [f"   would go away: {name} (you are asked)" for name in pending.removed[:4]]
    lines += [plain(f"▲ not reached: {words}", 70) for words in pending.failed_sources[:3]]
    lines += ["▲ a restart is pending"] if pending.restart_wanted else []
    return [*lines, "", "First a way back is made. It is looked again until none is left."]
