"""The dialog in which a person says what counts first in a plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.choose_dialog import PointAtOne

if TYPE_CHECKING:
    from brave_bridge.core.packages.preferences import Preferences


class OrderPreferences(PointAtOne):
    """The levels of a plan, the weightiest first; the preferences in another order, or None."""

    BINDINGS = [
        ("plus,equals_sign", "move(-1)", "weightier"),
        ("minus", "move(1)", "lighter"),
        ("0", "reset", "as it was made"),
        ("enter", "keep", "plan again"),
    ]
    DEFAULT_CSS = "OrderPreferences > Vertical { width: 94; }"

    heading = "What counts first"
    keys = (
        "What a weightier preference reached is never given up for a lighter one.\n"
        "+ and - move the line, 0 puts all back, Enter plans again, Esc goes back."
    )
    pointer = ("", "")

    def __init__(self, preferences: Preferences) -> None:
        super().__init__()
        self.preferences = preferences
        self.at = 1

    def lines(self) -> list[str]:
        from brave_bridge.core.packages.levels import LEVEL_WORDS

        marks = ("·" if self._is_fixed(n) else f"{n}" for n in range(len(self.preferences.order)))
        return [
            f"{mark:>2}  {LEVEL_WORDS[name]}"
            for mark, name in zip(marks, self.preferences.order, strict=True)
        ]

    def tone_of(self, number: int) -> str:
        return "quiet" if self._is_fixed(number) else "foreground"

    def _is_fixed(self, number: int) -> bool:
        from brave_bridge.core.packages.levels import FIXED_FIRST, FIXED_LAST

        return self.preferences.order[number] in FIXED_FIRST + FIXED_LAST

    def action_move(self, by: int) -> None:
        """Make the line weightier or lighter."""
        name = self.preferences.order[self.at]
        self.preferences = self.preferences.moved(name, by)
        self.at = self.preferences.order.index(name)
        self.show()

    def action_reset(self) -> None:
        """The order that the planner was made with."""
        import msgspec

        from brave_bridge.core.packages.levels import LEVELS

        self.preferences = msgspec.structs.replace(self.preferences, order=LEVELS)
        self.show()

    def action_keep(self) -> None:
        """Give the order back."""
        self.dismiss(self.preferences)
