"""The bridge strip: the route as a bridge in side view, with the machine's place on it."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from rich.segment import Segment
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from brave_bridge.drawings.bridge import BridgeState, bridge
from brave_bridge.drawings.bridge_text import Cell, three_lines

if TYPE_CHECKING:
    from brave_bridge.workbench.record import MachineRecord

_KINDS = ("built", "planned", "beyond", "broken", "place", "word")


class BridgeStrip(Widget):
    """Three lines: releases, deck, piers and checkpoints."""

    COMPONENT_CLASSES = {f"bridge--{kind}" for kind in _KINDS}
    DEFAULT_CSS = """
    BridgeStrip {
        height: 5; border: round $panel; border-title-color: $foreground;
        border-title-style: bold; border-subtitle-color: $quiet; background: $background;
    }
    BridgeStrip .bridge--built { color: $primary; }
    BridgeStrip .bridge--planned { color: $quiet; }
    BridgeStrip .bridge--beyond { color: $quiet; text-style: dim; }
    BridgeStrip .bridge--broken { color: $error; text-style: bold; }
    BridgeStrip .bridge--place { color: $foreground; text-style: bold; }
    BridgeStrip .bridge--word { color: $foreground; }
    """

    state: reactive[BridgeState] = reactive(BridgeState(("",)))

    def tell(self, record: MachineRecord | None, busy: str = "") -> None:
        """Show a machine's bridge; the lower edge says what is under way, or the support left."""
        if record is not None:
            self.state = record.bridge
            self.border_title = f" {record.name} · {record.about} "
        self.border_subtitle = busy or (_support_words(record) if record else "")

    def render_line(self, y: int) -> Strip:
        lines = three_lines(bridge(self.state), self.size.width)
        if y >= len(lines):
            return Strip.blank(self.size.width, self.rich_style)
        return Strip(self._segments(lines[y])).adjust_cell_length(self.size.width, self.rich_style)

    def _segments(self, cells: list[Cell]) -> list[Segment]:
        return [
            Segment(cell.character, self.get_component_rich_style(f"bridge--{cell.kind}"))
            for cell in cells
        ]


def _support_words(record: MachineRecord) -> str:
    release = record.surveyed.release if record.surveyed else None
    if release is None or release.support_ends is None:
        return ""
    days = release.support_days(datetime.now(UTC).date())
    if days < 0:
        return f" no support for {-days} days ▁ "
    shape = "▁▂▃▄▅▆▇"[min(days // 90, 6)]
    words = f"{days // 30} months" if days >= 60 else f"{days} days"
    return f" {words} of support left {shape} "
