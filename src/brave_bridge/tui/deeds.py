"""The deeds that the screen's keys stand for: each asks the desk, in a thread, and tells."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from textual import work

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.tui.dialogs import ConfirmByName

if TYPE_CHECKING:
    from brave_bridge.tui.harbour import Harbour
    from brave_bridge.workbench.record import MachineRecord


class Deeds:
    """Mixed into the application. Expects ``harbour``, ``show_current`` and ``place``."""

    harbour: Harbour

    @work(thread=True, group="deeds")
    def _do(self, words: str, deed: Callable, then: Callable[[Any], None] | None = None) -> None:
        """Do a deed at the current machine's desk; tell how it went; read the machine again."""
        from brave_bridge.machines.port import MachineError
        from brave_bridge.store.faults import DatabaseError
        from brave_bridge.workbench.refusal import Refused

        name = self.harbour.current
        self.call_from_thread(self.tell_busy, f"{name}: {words} …")
        try:
            result = self.harbour.do(name, deed)
        except Refused as refusal:
            self.call_from_thread(self.tell_refused, refusal.what, refusal.why, refusal.remedy)
        except MachineError as error:
            self.call_from_thread(self.tell_refused, error.attempted, error.seen, error.remedy)
        except (DatabaseError, OSError) as error:
            self.call_from_thread(self.tell_refused, words, str(error), "")
        else:
            if then:
                self.call_from_thread(then, result)
        finally:
            self.call_from_thread(self.tell_busy, "")
            self.call_from_thread(self.read_machines, [name])

    def tell_refused(self, what: str, why: str, remedy: str) -> None:
        message = plain(f"{why}" + (f"\n▸ {remedy}" if remedy else ""), 600)
        self.notify(message.replace("[", "\\["), title=f"■ {what}", severity="error", timeout=20)

    def action_command_palette(self) -> None:
        """Open the list of all commands."""
        from brave_bridge.tui.palette import Palette

        if not Palette.is_open(self):
            self.push_screen(Palette(id="--command-palette"))

    def action_cross(self) -> None:
        """Cross the planned legs, once the person has given the machine's name."""
        record = self.harbour.record()
        if record is None or record.plan is None:
            self.notify("Plan the way first: p.", severity="warning")
            return
        plan = record.plan

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.place = "crossing"
                self._do(
                    "beginning to cross",
                    lambda desk: desk.begin_crossing(plan, unattended=False),
                )

        self.push_screen(
            ConfirmByName(f"Cross to {plan.legs[-1].leg.end.title}", _cost(record), record.name),
            begin,
        )

    def action_answer(self, number: int) -> None:
        """Answer the open question with its first or second choice."""
        record = self.harbour.record()
        live = record.live if record else None
        question = next((q for q in live.questions if not q.answer), None) if live else None
        if question is None or number >= len(question.choices):
            return
        choice = question.choices[number]
        self._do(
            "answering",
            lambda desk: desk.logbook().answer(question.procedure, question.key, choice, "person"),
        )

    def action_rest(self) -> None:
        """Ask the crossing to rest at its next checkpoint."""
        record = self.harbour.record()
        if record and record.live and record.live.is_open:
            procedure = record.live.row.id
            self._do(
                "asking it to rest",
                lambda desk: desk.logbook().ask_to_rest(procedure, True),
                lambda _: self.notify("It rests at its next checkpoint; g goes on."),
            )

    def action_go_on(self) -> None:
        """Go on with a procedure that rests or whose runner is gone."""
        self.place = "crossing"
        self._do("going on", lambda desk: desk.go_on())

    def action_prove(self) -> None:
        """Hold the machine against its baseline again."""

        def tell(found) -> None:
            _, proof = found
            words = "as good as before" if proof.passed else "something is worse than before"
            self.notify(words, severity="information" if proof.passed else "warning")

        self._do("proving", lambda desk: desk.proof(), tell)

    def expand_procedure(self, identifier: str) -> None:
        """Open or close a procedure in the logbook."""
        name = self.harbour.current
        self._do("opening", lambda desk: self.harbour.toggle(name, identifier))

    def action_export(self) -> None:
        """Write what this view shows to files in the present folder."""
        record = self.harbour.record()
        place, records, station = self.place, self.harbour.records(), self.harbour.station

        def export(desk) -> list[Path]:
            from brave_bridge.workbench import export

            folder = Path.cwd()
            if place == "logbook":
                return export.export_logbook(desk, folder)
            if place == "ways_back":
                return export.export_space(desk, folder)
            if place == "plan" and record.plan is not None:
                from brave_bridge.workbench.plan_export import export_plan

                return export_plan(record.name, record.plan, folder)
            if place == "fleet":
                bars = export.support_bars(records)
                return export.save_bars(bars, f"Support left: {station}", "fleet", folder)
            return export.export_bridge(record, folder)

        self._do(
            "exporting",
            export,
            lambda paths: self.notify("\n".join(str(path) for path in paths), title="written"),
        )


def _cost(record: MachineRecord) -> list[str]:
    """What a crossing will do, for the confirmation."""
    lines = []
    for leg in record.plan.legs:
        lines += [
            f"{leg.leg.start.title} to {leg.leg.end.title}:",
            f"   {counted(len(leg.upgraded), 'package')} upgraded, {len(leg.new)} new, "
            f"{len(leg.lost) or 'nothing'} would go away",
            f"   {byte_size(leg.download_bytes)} to fetch",
        ]
        lines += [f"   would go away: {c.name} ({c.reason})" for c in leg.lost[:4]]
    lines += _around(record)
    lines += _card(record)
    lines += ["", f"This approves plan {record.plan.hash}: what differs at crossing time is asked."]
    lines += ["First a way back is made. Until stage one every stop undoes everything."]
    return lines


def _around(record: MachineRecord) -> list[str]:
    """How long it takes, and what is stopped for its time."""
    surveyed = record.surveyed
    if surveyed is None:
        return []
    guests = surveyed.facts.activity.running_guests
    lines = [f"It takes {surveyed.estimate.words}."] if surveyed.estimate else []
    if guests:
        names = ", ".join(plain(guest.name, 30) for guest in guests[:5])
        lines.append(f"Shut down for its time, then started again: {names}")
    return lines


def _card(record: MachineRecord) -> list[str]:
    """Whether there is a recovery card to have at hand."""
    findings = record.surveyed.findings if record.surveyed else ()
    card = next((f for f in findings if f.id == "recovery-card" and f.remedy), None)
    return [f"▲ {card.title}: c in Ways back makes it"] if card else []
