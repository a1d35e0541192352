"""Ways back: can I return, and at what price?"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import byte_size, plain
from brave_bridge.tui.actions import Action
from brave_bridge.tui.dialogs import AskReason, ConfirmByName, ConfirmReturn
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.ways_back.difference_tree import Node
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Page, Row
    from brave_bridge.workbench.record import MachineRecord
    from brave_bridge.workbench.way_back import WayBack
    from brave_bridge.workbench.ways.kept_system import KeptSeen
    from brave_bridge.workbench.ways.return_preview import ReturnPreview

_LATER_DAYS = 14


def _has_some(record: MachineRecord | None) -> bool:
    return bool(record and record.ways_back)


def _can_be_started(record: MachineRecord | None) -> bool:
    """Whether the file system keeps ways back, or systems set aside, that could be started."""
    if record is None:
        return False
    from brave_bridge.snapshots.engines.choose import engine_of

    kept = any(engine_of(part).can_be_started for one in record.snapshots for part in one.parts)
    return kept or bool(record.past_systems or record.set_aside)


class WaysBackWorkspace(Workspace):
    """The snapshots: take, look into, decide, return."""

    KEY, NAME, WORDS = "7", "ways_back", "Ways back"
    ACTIONS = (
        Action("snapshot", "b", "take one", "Make a way back now", command="snapshot"),
        Action(
            "look_into",
            "l",
            "look into it",
            "What differs from it, as a tree",
            _has_some,
            "compare",
        ),
        Action("mark", "m", "mark", "Mark it, to compare another one with it", _has_some),
        Action("verify", "v", "verify", "Read all of it again", _has_some, "verify"),
        Action("pin", "k", "pin, unpin", "Keep it from every rule", _has_some, "pin"),
        Action("end_later", "e", "end later", "Move its end", _has_some, "deadline"),
        Action(
            "delete_way_back",
            "d",
            "delete",
            "Delete it, or what a return set aside",
            command="delete",
        ),
        Action(
            "card",
            "c",
            "recovery card",
            "Write the page for a machine that does not start",
            command="card",
        ),
        Action(
            "boot_menu",
            "o",
            "boot menu",
            "Have the boot menu offer it as a system to start, or not any more",
            _can_be_started,
            "boot-menu",
        ),
    )
    CHOSEN = {"preview": "preview_return", "go_back": "go_back_to_kept"}
    ENTER = "return"

    def __init__(self) -> None:
        super().__init__()
        self.marked = ("", "")
        """A machine and its way back that the next look is to compare with."""

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.ways_back import ways_back_page

        return ways_back_page(record)

    def export(self, desk: Desk, record: MachineRecord, folder: Path) -> list[Path]:
        """See Workspace."""
        from brave_bridge.workbench.papers.export import export_space

        return [*super().export(desk, record, folder), *export_space(desk, folder)]

    def _way_back(self) -> tuple[str, WayBack] | None:
        """The machine on show and its way back under the cursor; None, and told, without one."""
        record, row = self.record, self.ledger.pointed
        ways = record.ways_back if record else ()
        found = next((way for way in ways if row is not None and way.id == row.key), None)
        if record is None or found is None:
            self.warn("Point at a way back first.")
            return None
        return record.name, found

    def action_snapshot(self) -> None:
        """Take a snapshot now, in a runner of its own."""
        from brave_bridge.workbench.ways.ways_back import WaysBack

        self.set_going(
            self.app.harbour.current,
            "taking a snapshot",
            lambda desk: WaysBack(desk).begin_snapshot("by hand"),
        )

    def action_verify(self) -> None:
        """Read the way back under the cursor again, in a runner of its own."""
        from brave_bridge.workbench.ways.ways_back import WaysBack

        if pointed := self._way_back():
            name, way = pointed
            self.set_going(name, "verifying", lambda desk: WaysBack(desk).begin_check(way.id))

    def action_boot_menu(self) -> None:
        """Have the boot menu offer what is under the cursor; take it out; keep what runs."""
        from brave_bridge.core.boot.past_entry import PastSystem
        from brave_bridge.snapshots.returns.set_aside import SetAside
        from brave_bridge.workbench.boot.past_systems import (
            begin_keeping,
            begin_offering,
            begin_withdrawing,
        )

        record, row = self.record, self.ledger.pointed
        of = row.of if row is not None else None
        if record is not None and isinstance(of, SetAside):
            self.set_going(record.name, "boot menu", lambda desk: begin_offering(desk, of.id))
            return
        if record is None or not isinstance(of, PastSystem):
            if pointed := self._way_back():
                name, way = pointed
                self.set_going(name, "boot menu", lambda desk: begin_offering(desk, way.id))
            return
        name = record.name
        if of.running:
            self._ask_for_name(
                "Keep the past system that runs",
                "It is the machine's own from now on; the system of now is set aside.",
                lambda: self.set_going(name, "keeping it", begin_keeping),
            )
            return
        self.set_going(name, "boot menu", lambda desk: begin_withdrawing(desk, of.way_back))

    def _ask_for_name(self, title: str, words: str, deed: Callable[[], None]) -> None:
        def answered(agreed: bool | None) -> None:
            if agreed:
                deed()

        dialog = ConfirmByName(title, [words], self.app.harbour.current)
        self.app.push_screen(dialog, answered)

    def action_pin(self) -> None:
        """Pin the way back under the cursor, with a reason; or let the rules hold again."""
        from brave_bridge.workbench.ways.ways_back import WaysBack

        pointed = self._way_back()
        if pointed is None:
            return
        name, way = pointed
        if way.kept.keeping.pinned:
            self.do(name, "unpinning", lambda desk: WaysBack(desk).unpin(way.id))
            return

        def keep(reason: str | None) -> None:
            if reason:
                self.do(name, "pinning", lambda desk: WaysBack(desk).pin(way.id, reason))

        lines = [f"◆ {way.id}", "", "No rule and no clean-up lets it go until it is unpinned."]
        self.app.push_screen(AskReason("Pin it", lines, "why it must stay"), keep)

    def action_end_later(self) -> None:
        """Move the end of the way back under the cursor."""
        from brave_bridge.workbench.ways.ways_back import WaysBack

        if pointed := self._way_back():
            name, way = pointed
            self.do(
                name,
                "moving its end",
                lambda desk: WaysBack(desk).set_deadline(way.id, f"+{_LATER_DAYS}"),
                lambda kept: self.notify(f"{way.id} ends {kept.keeping.deadline[:10]}."),
            )

    def action_delete_way_back(self) -> None:
        """Delete the way back under the cursor, once the machine's name is given."""
        from brave_bridge.snapshots.returns.set_aside import SetAside
        from brave_bridge.workbench.ways.ways_back import WaysBack

        row, record = self.ledger.pointed, self.record
        if record is not None and row is not None and isinstance(row.of, SetAside):
            self._delete_set_aside(record.name, row.of.id)
            return
        pointed = self._way_back()
        if record is None or pointed is None:
            return
        name, way = pointed
        use = way.kept.use
        lines = [
            f"{way.id}: {plain(way.kept.snapshot.release)}",
            f"{byte_size(use.alone)} would be free" if use else "what it frees is not known",
            "It cannot be brought back.",
        ]
        only = len(record.snapshots) == 1 and way.kept.is_whole
        lines += ["", "▲ It is the only way back."] if only else []

        def delete(agreed: bool | None) -> None:
            if agreed:
                why = "deleted from the screen"
                self.do(
                    name,
                    "deleting",
                    lambda desk: WaysBack(desk).delete(way.id, why),
                    lambda gone: self.notify(f"{byte_size(gone.freed)} are free again."),
                )

        self.app.push_screen(ConfirmByName("Delete this way back", lines, name), delete)

    def _delete_set_aside(self, name: str, identifier: str) -> None:
        """Delete a system that a return has set aside, once the machine's name is given."""
        from brave_bridge.workbench.ways.ways_back import WaysBack

        def delete(agreed: bool | None) -> None:
            if agreed:
                self.do(
                    name,
                    "deleting",
                    lambda desk: WaysBack(desk).delete_set_aside(identifier),
                    lambda freed: self.notify(f"{byte_size(freed)} are free again."),
                )

        lines = [plain(identifier), "", "What came after the snapshot is in it, and only there."]
        title = "Delete what the return has set aside"
        self.app.push_screen(ConfirmByName(title, lines, name), delete)

    def action_card(self) -> None:
        """Write the recovery card to a folder of papers below the present one."""
        from brave_bridge.workbench.papers.cards import save_card
        from brave_bridge.workbench.papers.folder import papers_folder

        self.do(
            self.app.harbour.current,
            "making the recovery card",
            lambda desk: save_card(desk, papers_folder()),
            lambda paths: self.notify(
                "\n".join(str(path) for path in paths), title="print or photograph it"
            ),
        )

    def action_mark(self) -> None:
        """Mark the way back under the cursor, to be compared with another one."""
        if pointed := self._way_back():
            name, way = pointed
            self.marked = (name, way.id)
            self.notify(f"{way.id} is marked: l on another one compares the two.")

    def action_look_into(self) -> None:
        """Show how the machine differs from the way back under the cursor, as a tree.

        Where another one is marked, how the one under the cursor differs from that.
        """
        from brave_bridge.workbench.ways.ways_back import WaysBack

        pointed = self._way_back()
        if pointed is None:
            return
        name, way = pointed
        if not way.kept.is_whole:
            self.warn("It is damaged: there is nothing to compare with.")
            return
        machine, marked = self.marked
        other = marked if machine == name and marked != way.id else ""
        before, after = (other, way.id) if other else (way.id, "")
        self.marked = ("", "")
        self.do(
            name,
            "comparing",
            lambda desk: WaysBack(desk).compare(before, after),
            lambda top: self._show_differences(name, before, top, after),
        )

    def _show_differences(self, name: str, before: str, top: Node, after: str) -> None:
        from brave_bridge.tui.difference_screen import DifferenceScreen

        self.app.push_screen(DifferenceScreen(self.app.harbour, name, before, top, after))

    def preview_return(self, row: Row) -> None:
        """Show what a return would change, then ask for a reason and the machine's name."""
        from brave_bridge.workbench.ways.ways_back import WaysBack

        name = self.app.harbour.current
        self.do(
            name,
            "comparing",
            lambda desk: WaysBack(desk).preview(row.key),
            lambda preview: self._ask_return(name, preview),
        )

    def go_back_to_kept(self, row: Row) -> None:
        """Ask why, then go back to the system that the last upgrade kept."""
        from brave_bridge.workbench.ways.kept_system import begin_going_back, kept_here

        name = self.app.harbour.current

        def ask(seen: KeptSeen) -> None:
            def begin(answer: tuple[str, bool] | None) -> None:
                if answer:
                    reason, note = answer
                    deed = partial(begin_going_back, reason=reason, note=note)
                    self.set_going(name, "going back", deed)

            until = f"It is kept until {seen.kept.until}. " if seen.kept.until else ""
            lines = [f"{until}Going back would lose:"]
            lines += [f"  {plain(words)}" for words in seen.losses]
            title = f"Go back to {plain(seen.kept.version)}"
            self.app.push_screen(ConfirmReturn(lines, name, plain(seen.leg), title), begin)

        self.do(name, "looking what is kept", kept_here, ask)

    def _ask_return(self, name: str, preview: ReturnPreview) -> None:
        from brave_bridge.workbench.pages.return_preview import preview_lines
        from brave_bridge.workbench.ways.ways_back import WaysBack

        def begin(answer: tuple[str, bool] | None) -> None:
            if answer:
                reason, note = answer
                self.set_going(
                    name,
                    "returning",
                    lambda desk: WaysBack(desk).begin_return(preview.snapshot, reason, note=note),
                )

        leg = plain(preview.snapshot.leg)
        self.app.push_screen(ConfirmReturn(preview_lines(preview), name, leg), begin)
