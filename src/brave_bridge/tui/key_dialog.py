"""A dialog for a licence key: typed unseen, judged at once, handed back and kept nowhere."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.widgets import Input, Static

from brave_bridge.machines.no_traces import leave_no_core
from brave_bridge.tui.dialogs import Dialog

if TYPE_CHECKING:
    from brave_bridge.core.licensed.key import LicenceKey


class EnterKey(Dialog):
    """A key of use, or None. ``judge`` is given what was typed and raises KeyFault."""

    BINDINGS = [("escape", "dismiss(None)", "back")]

    def __init__(self, title: str, judge: Callable[[str], LicenceKey]) -> None:
        super().__init__()
        self.heading = title
        self.judge = judge

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = self.heading
            yield Static(
                Text(
                    "Five groups of four characters. Nothing of it is shown, and it is written "
                    "down nowhere.   (Esc goes back)"
                )
            )
            yield Input(placeholder="type the key", password=True, max_length=60)
            yield Static(classes="fault")

    def on_mount(self) -> None:
        leave_no_core()
        self.query_one(Input).focus()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        from brave_bridge.core.licensed.key import KeyFault

        typed, event.input.value = event.input.value, ""
        try:
            key = self.judge(typed)
        except KeyFault as fault:
            self._tell(str(fault), fault.hints)
            return
        self.dismiss(key)

    def _tell(self, why: str, hints: tuple[str, ...]) -> None:
        variables = self.app.theme_variables
        text = Text(f"■ {why}", style=variables["error"])
        for hint in hints:
            text.append(f"\n  ▸ {hint}", style=variables["foreground"])
        self.query_one(".fault", Static).update(text)
