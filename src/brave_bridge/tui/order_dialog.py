"""The dialog in which a person says what counts first in a plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.widgets import Static

from brave_bridge.tui.dialogs import Dialog

if TYPE_CHECKING:
    from brave_bridge.core.packages.wishes import PersonsWishes


class OrderWishes(Dialog):
    """The levels of a plan, the weightiest first; the wishes in another order, or None."""

    BINDINGS = [
        ("escape", "dismiss(None)", "back"),
        ("up", "point(-1)", "up"),
        ("down", "point(1)", "down"),
        ("plus,equals_sign", "move(-1)", "weightier"),
        ("minus", "move(1)", "lighter"),
        ("0", "reset", "as it was made"),
        ("enter", "keep", "plan again"),
    ]
    DEFAULT_CSS = "OrderWishes > Vertical { width: 94; }"

    def __init__(self, wishes: PersonsWishes) -> None:
        super().__init__()
        self.wishes = wishes
        self.at = 1

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = "What counts first"
            yield Static(id="order-levels")
            yield Static(
                Text(
                    "What a weightier wish reached is never given up for a lighter one.\n"
                    "+ and - move the line, 0 puts all back, Enter plans again, Esc goes back."
                )
            )

    def on_mount(self) -> None:
        self._show()

    def _show(self) -> None:
        from brave_bridge.core.packages.levels import FIXED_FIRST, FIXED_LAST, LEVEL_WORDS

        variables = self.app.theme_variables
        text = Text()
        for number, name in enumerate(self.wishes.order):
            fixed = name in FIXED_FIRST + FIXED_LAST
            style = variables["quiet"] if fixed else variables["foreground"]
            if number == self.at:
                style = f"bold {variables['primary']}"
            mark = "·" if fixed else f"{number}"
            text.append(f"{mark:>2}  {LEVEL_WORDS[name]}\n", style=style)
        self.query_one("#order-levels", Static).update(text)

    def action_point(self, by: int) -> None:
        """Point at the next line or the one before."""
        self.at = min(max(self.at + by, 0), len(self.wishes.order) - 1)
        self._show()

    def action_move(self, by: int) -> None:
        """Make the line weightier or lighter."""
        name = self.wishes.order[self.at]
        self.wishes = self.wishes.moved(name, by)
        self.at = self.wishes.order.index(name)
        self._show()

    def action_reset(self) -> None:
        """The order that the planner was made with."""
        import msgspec

        from brave_bridge.core.packages.levels import LEVELS

        self.wishes = msgspec.structs.replace(self.wishes, order=LEVELS)
        self._show()

    def action_keep(self) -> None:
        """Give the order back."""
        self.dismiss(self.wishes)
