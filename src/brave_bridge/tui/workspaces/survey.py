"""Survey: is it ready?"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted, plain, shortened
from brave_bridge.tui.actions import Action
from brave_bridge.tui.dialogs import AskReason, ConfirmByName
from brave_bridge.tui.widgets.filter_line import FilterLine
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.survey.findings import Finding
    from brave_bridge.workbench.pages.page import Page
    from brave_bridge.workbench.readiness import PendingUpdates
    from brave_bridge.workbench.record import MachineRecord

_RESTART = ("systemctl", "reboot")


class SurveyWorkspace(Workspace):
    """Findings by verdict, or the facts that they are judged from."""

    KEY, NAME, WORDS = "2", "survey", "Survey"
    ACTIONS = (
        Action("read_again", "s", "survey again", "Read the machine anew", command="survey"),
        Action("facts", "f", "facts", "What the findings are judged from, and back"),
        Action("update", "u", "updates", "Bring the present release up to date", command="update"),
        Action("mend", "m", "mend", "Run the commands that mend this point", command="mend"),
        Action(
            "overrule", "v", "overrule", "Let this stop stand, with a reason", command="overrule"
        ),
        Action(
            "confirm_backup",
            "k",
            "confirm a backup",
            "Say that home and data are backed up today",
            command="confirm-backup",
        ),
        Action(
            "back_up_settings",
            "b",
            "settings backup",
            "Archive /etc, package selections, sources and keys",
            command="settings-backup",
        ),
    )

    def __init__(self) -> None:
        super().__init__()
        self._shows_facts = False

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.facts import facts_page
        from brave_bridge.workbench.pages.survey import survey_page

        if self._shows_facts:
            return facts_page(record)
        return survey_page(record, harbour.unfolded(record.name))

    def keys(self, record: MachineRecord | None) -> Iterable[tuple[str, str]]:
        """See Workspace: on the facts, their key leads back to the findings."""
        for label, words in super().keys(record):
            yield label, "findings" if self._shows_facts and words == "facts" else words

    def _finding(self, record: MachineRecord | None) -> Finding | None:
        """The finding under the cursor."""
        from brave_bridge.core.survey.findings import Finding

        row = None if self._shows_facts else self.ledger.pointed
        return row.of if row is not None and record and isinstance(row.of, Finding) else None

    def action_facts(self) -> None:
        """Change between the findings and the facts."""
        self._shows_facts = not self._shows_facts
        self.app.show_current()

    def action_clear_filter(self) -> None:
        """Esc takes the filter away; on the facts it leads back to the findings."""
        if self._shows_facts and not self.query_one(FilterLine).display:
            self.action_facts()
        else:
            super().action_clear_filter()

    def action_read_again(self) -> None:
        """Survey again; the next survey is held against this one."""
        name = self.app.harbour.current
        self.do(name, "surveying", lambda desk: self.app.harbour.remember(name))

    def action_update(self) -> None:
        """Look what is pending, then ask whether to install it."""
        from brave_bridge.workbench.readiness import Readiness

        name = self.app.harbour.current
        self.do(
            name,
            "looking for updates",
            lambda desk: Readiness(desk).look(),
            lambda pending: self._offer_updates(name, pending),
        )

    def _offer_updates(self, name: str, pending: PendingUpdates) -> None:
        from brave_bridge.workbench.readiness import Readiness

        if not (pending.updates or pending.new or pending.restart_wanted):
            self.notify("No update is pending.", title=f"{name} is up to date")
            return

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.set_going(
                    name, "updating", lambda desk: Readiness(desk).begin_update(unattended=False)
                )

        self.app.push_screen(ConfirmByName("Bring it up to date", _told(pending), name), begin)

    def action_mend(self) -> None:
        """Run the commands that mend the finding under the cursor."""
        from brave_bridge.workbench.readiness import Readiness

        record = self.record
        finding = self._finding(record)
        if record is None or finding is None or not (finding.fix or finding.deed):
            self.warn("This point has nothing that can be done from here.")
            return

        def begin(agreed: bool | None = True) -> None:
            if agreed:
                self.set_going(record.name, "mending", lambda d: Readiness(d).begin_remedy(finding))

        if _RESTART not in finding.fix:
            begin()
            return
        lines = ["It shuts down now and comes up again.", "Whoever works on it is interrupted."]
        self.app.push_screen(ConfirmByName("Restart the machine", lines, record.name), begin)

    def action_overrule(self) -> None:
        """Let the stop under the cursor stand, once a reason is given."""
        from brave_bridge.workbench.readiness import Readiness

        record = self.record
        finding = self._finding(record)
        if record is None or finding is None or not finding.can_be_overruled:
            self.warn("Only some stops may be overruled; this is none.")
            return

        def keep(reason: str | None) -> None:
            if reason:
                self.do(
                    record.name,
                    "overruling",
                    lambda desk: Readiness(desk).overrule(record.surveyed, finding.id, reason),
                )

        lines = [plain(f"■ {finding.title}"), "", finding.meaning, "", "The reason is kept."]
        self.app.push_screen(AskReason("Let it stand", lines, "why it may stand"), keep)

    def action_confirm_backup(self) -> None:
        """Note that home folders and data are backed up as of today."""
        from brave_bridge.workbench.readiness import Readiness

        self.do(
            self.app.harbour.current,
            "noting the backup",
            lambda desk: Readiness(desk).confirm_backup(),
            lambda day: self.notify(f"A backup of home and data of {day} is noted."),
        )

    def action_back_up_settings(self) -> None:
        """Archive the settings."""
        from brave_bridge.workbench.readiness import Readiness

        self.do(
            self.app.harbour.current,
            "archiving the settings",
            lambda desk: Readiness(desk).back_up_settings(),
            lambda made: self.notify(
                f"{made.path}\n{counted(made.entries, 'path')}", title="settings backup"
            ),
        )


def _told(pending: PendingUpdates) -> list[str]:
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
