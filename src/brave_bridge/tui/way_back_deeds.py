"""The deeds of the Ways back workspace: take, look into, verify, pin, delete, return, card."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import byte_size, plain
from brave_bridge.tui.dialogs import AskReason, ConfirmByName, ConfirmReturn

if TYPE_CHECKING:
    from brave_bridge.tui.harbour import Harbour
    from brave_bridge.workbench.way_back import WayBack

_LATER_DAYS = 14


class WayBackDeeds:
    """Mixed into the application beside ``Deeds``, whose ``_do`` it uses."""

    harbour: Harbour
    marked: tuple[str, str] = ("", "")
    """A machine and its way back that the next look is to compare with."""

    def _way_back(self) -> WayBack | None:
        """The way back under the cursor."""
        record = self.harbour.record()
        row = self.workspace.ledger.pointed if self.place == "ways_back" else None
        ways = record.ways_back if record else ()
        found = next((way for way in ways if row is not None and way.id == row.key), None)
        if found is None:
            self.notify("Point at a way back first.", severity="warning")
        return found

    def action_snapshot(self) -> None:
        """Take a snapshot now, in a runner of its own."""
        from brave_bridge.workbench.ways_back import WaysBack

        self._do("taking a snapshot", lambda desk: WaysBack(desk).begin_snapshot("by hand"))
        self.place = "crossing"

    def action_verify(self) -> None:
        """Read the way back under the cursor again, in a runner of its own."""
        from brave_bridge.workbench.ways_back import WaysBack

        if way := self._way_back():
            self._do("verifying", lambda desk: WaysBack(desk).begin_check(way.id))
            self.place = "crossing"

    def action_pin(self) -> None:
        """Pin the way back under the cursor, with a reason; or let the rules hold again."""
        from brave_bridge.workbench.ways_back import WaysBack

        way = self._way_back()
        if way is None:
            return
        if way.kept.keeping.pinned:
            self._do("unpinning", lambda desk: WaysBack(desk).unpin(way.id))
            return

        def keep(reason: str | None) -> None:
            if reason:
                self._do("pinning", lambda desk: WaysBack(desk).pin(way.id, reason))

        lines = [f"◆ {way.id}", "", "No rule and no clean-up lets it go until it is unpinned."]
        self.push_screen(AskReason("Pin it", lines, "why it must stay"), keep)

    def action_end_later(self) -> None:
        """Move the end of the way back under the cursor."""
        from brave_bridge.workbench.ways_back import WaysBack

        if way := self._way_back():
            self._do(
                "moving its end",
                lambda desk: WaysBack(desk).set_deadline(way.id, f"+{_LATER_DAYS}"),
                lambda kept: self.notify(f"{way.id} ends {kept.keeping.deadline[:10]}."),
            )

    def action_delete_way_back(self) -> None:
        """Delete the way back under the cursor, once the machine's name is given."""
        from brave_bridge.workbench.pages.ways_back import SET_ASIDE
        from brave_bridge.workbench.ways_back import WaysBack

        row = self.workspace.ledger.pointed
        if row is not None and row.key.startswith(SET_ASIDE):
            self._delete_set_aside(row.key.removeprefix(SET_ASIDE))
            return
        way = self._way_back()
        if way is None:
            return
        use = way.kept.use
        lines = [
            f"{way.id}: {plain(way.kept.snapshot.release)}",
            f"{byte_size(use.alone)} would be free" if use else "what it frees is not known",
            "It cannot be brought back.",
        ]
        record = self.harbour.record()
        only = record is not None and len(record.snapshots) == 1 and way.kept.is_whole
        lines += ["", "▲ It is the only way back."] if only else []

        def delete(agreed: bool | None) -> None:
            if agreed:
                why = "deleted from the screen"
                self._do(
                    "deleting",
                    lambda desk: WaysBack(desk).delete(way.id, why),
                    lambda gone: self.notify(f"{byte_size(gone.freed)} are free again."),
                )

        self.push_screen(ConfirmByName("Delete this way back", lines, self.harbour.current), delete)

    def _delete_set_aside(self, identifier: str) -> None:
        """Delete a system that a return has set aside, once the machine's name is given."""
        from brave_bridge.workbench.ways_back import WaysBack

        def delete(agreed: bool | None) -> None:
            if agreed:
                self._do(
                    "deleting",
                    lambda desk: WaysBack(desk).delete_set_aside(identifier),
                    lambda freed: self.notify(f"{byte_size(freed)} are free again."),
                )

        lines = [plain(identifier), "", "What came after the snapshot is in it, and only there."]
        title = "Delete what the return has set aside"
        self.push_screen(ConfirmByName(title, lines, self.harbour.current), delete)

    def action_card(self) -> None:
        """Write the recovery card to the present folder."""
        from brave_bridge.workbench.cards import save_card

        self._do(
            "making the recovery card",
            lambda desk: save_card(desk, Path.cwd()),
            lambda paths: self.notify(
                "\n".join(str(path) for path in paths), title="print or photograph it"
            ),
        )

    def action_mark(self) -> None:
        """Mark the way back under the cursor, to be compared with another one."""
        if way := self._way_back():
            self.marked = (self.harbour.current, way.id)
            self.notify(f"{way.id} is marked: l on another one compares the two.")

    def action_look_into(self) -> None:
        """Show how the machine differs from the way back under the cursor, as a tree.

        Where another one is marked, how the one under the cursor differs from that.
        """
        from brave_bridge.workbench.ways_back import WaysBack

        way = self._way_back()
        if way is None or not way.kept.is_whole:
            return
        machine, marked = self.marked
        other = marked if machine == self.harbour.current and marked != way.id else ""
        before, after = (other, way.id) if other else (way.id, "")
        self.marked = ("", "")
        self._do(
            "comparing",
            lambda desk: WaysBack(desk).compare(before, after),
            lambda top: self._show_differences(before, top, after),
        )

    def _show_differences(self, before: str, top, after: str) -> None:
        from brave_bridge.tui.difference_screen import DifferenceScreen

        name = self.harbour.current
        self.push_screen(DifferenceScreen(self.harbour, name, before, top, after))

    def preview_return(self, identifier: str) -> None:
        """Show what a return would change, then ask for a reason and the machine's name."""
        from brave_bridge.workbench.ways_back import WaysBack

        self._do("comparing", lambda desk: WaysBack(desk).preview(identifier), self._ask_return)

    def _ask_return(self, preview) -> None:
        from brave_bridge.workbench.pages.return_preview import preview_lines
        from brave_bridge.workbench.ways_back import WaysBack

        def begin(answer: tuple[str, bool] | None) -> None:
            if answer:
                reason, note = answer
                self.place = "crossing"
                self._do(
                    "returning",
                    lambda desk: WaysBack(desk).begin_return(preview.snapshot, reason, note=note),
                )

        leg = preview.snapshot.leg
        self.push_screen(
            ConfirmReturn(preview_lines(preview), self.harbour.current, plain(leg)), begin
        )
