"""The dialog in which a person says what counts first in a plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.choose_dialog import PointAtOne

if TYPE_CHECKING:
    from brave_bridge.core.packages.wishes import PersonsWishes


class OrderWishes(PointAtOne):
    """The levels of a plan, the weightiest first; the wishes in another order, or None."""

    BINDINGS = [
        ("plus,equals_sign", "move(-1)", "weightier"),
        ("minus", "move(1)", "lighter"),
        ("0", "reset", "as it was made"),
        ("enter", "keep", "plan again"),
    ]
    DEFAULT_CSS = "OrderWishes > Vertical { width: 94; }"

    heading = "What counts first"
    keys = (
        "What a weightier wish reached is never given up for a lighter one.\n"
        "+ and - move the line, 0 puts all back, Enter plans again, Esc goes back."
    )
    pointer = ("", "")

    def __init__(self, wishes: PersonsWishes) -> None:
        super().__init__()
        self.wishes = wishes
        self.at = 1

    def lines(self) -> list[str]:
        from brave_bridge.core.packages.levels import LEVEL_WORDS

        marks = ("·" if self._is_fixed(n) else f"{n}" for n in range(len(self.wishes.order)))
        return [
            f"{mark:>2}  {LEVEL_WORDS[name]}"
            for mark, name in zip(marks, self.wishes.order, strict=True)
        ]

    def tone_of(self, number: int) -> str:
        return "quiet" if self._is_fixed(number) else "foreground"

    def _is_fixed(self, number: int) -> bool:
        from brave_bridge.core.packages.levels import FIXED_FIRST, FIXED_LAST

        return self.wishes.order[number] in FIXED_FIRST + FIXED_LAST

    def action_move(self, by: int) -> None:
        """Make the line weightier or lighter."""
        name = self.wishes.order[self.at]
        self.wishes = self.wishes.moved(name, by)
        self.at = self.wishes.order.index(name)
        self.show()

    def action_reset(self) -> None:
        """The order that the planner was made with."""
        import msgspec

        from brave_bridge.core.packages.levels import LEVELS

        self.wishes = msgspec.structs.replace(self.wishes, order=LEVELS)
        self.show()

    def action_keep(self) -> None:
        """Give the order back."""
        self.dismiss(self.wishes)
