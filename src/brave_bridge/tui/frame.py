"""The frame around the workspaces, as far as a workspace needs to know of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from textual.app import App
from textual.events import Event, Key, MouseDown
from textual.filter import LineFilter

from brave_bridge.tui.cleaning import ONLY_TEXT

if TYPE_CHECKING:
    from brave_bridge.tui.doing import Doing
    from brave_bridge.tui.harbour import Harbour


class Frame(App[int]):
    """What every place can ask of the application: its machines, a deed, another place."""

    harbour: Harbour
    doing: Doing
    is_touched = False
    """Whether somebody has pressed a key or the mouse: what is on show stays theirs then."""

    async def on_event(self, event: Event) -> None:
        """See App."""
        if isinstance(event, (Key, MouseDown)):
            self.is_touched = True
        await super().on_event(event)

    def go_to(self, place: str) -> None:
        """Open another place."""
        raise NotImplementedError

    def do_at(self, place: str, action: str) -> None:
        """Go to a place and do one of its actions there."""
        raise NotImplementedError

    def show_current(self) -> None:
        """Lay out the current machine in the current place."""
        raise NotImplementedError

    def read_machines(self, names: list[str]) -> object:
        """Read machines anew, in a thread, and show what was read."""
        raise NotImplementedError

    def get_line_filters(self) -> Sequence[LineFilter]:
        """See App. First what every line goes through, wherever its text came from."""
        return [ONLY_TEXT, *super().get_line_filters()]

    def _fatal_error(self) -> None:
        """Tell what ended the screen, without the values that it held: one may be a secret.

        Textual's own report has every local variable of every frame in it.
        """
        from rich.segment import Segments
        from rich.traceback import Traceback

        report = Traceback(show_locals=False, width=None)
        self._exit_renderables.append(Segments(self.console.render(report, self.console.options)))
        self._close_messages_no_wait()
