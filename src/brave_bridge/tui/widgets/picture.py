"""The picture of a view: a chart in characters, with the lane of the row that is pointed at."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.segment import Segment
from textual import events
from textual.message import Message
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

if TYPE_CHECKING:
    from brave_bridge.drawings.chart import Chart, Lane
    from brave_bridge.drawings.chart_text import Rows

_TONES = ("plain", "quiet", "clear", "caution", "stop", "chosen")
_ROOMY, _TIGHT = 26, 17
"""Rows of a workspace from which on a picture is large, or there is more than a line of it."""


class Picture(Widget):
    """Draws a chart, as tall as its workspace allows; a click leads to the row of its lane."""

    COMPONENT_CLASSES = {f"picture--{tone}" for tone in _TONES}
    DEFAULT_CSS = """
    Picture { height: 1; background: $background; margin: 0 0 0 1; }
    Picture .picture--plain { color: $secondary; }
    Picture .picture--quiet { color: $quiet; }
    Picture .picture--clear { color: $success; }
    Picture .picture--caution { color: $warning; }
    Picture .picture--stop { color: $error; }
    Picture .picture--chosen { color: $primary; text-style: bold; }
    """

    pointed: reactive[str] = reactive("")
    """The key of the row that the list's cursor is on."""

    class Led(Message):
        """A click on a lane: the key of the row that it leads to."""

        def __init__(self, key: str) -> None:
            super().__init__()
            self.key = key

    def __init__(self) -> None:
        super().__init__()
        self._chart: Chart | None = None
        self._rows: Rows = []
        self._drawn_for: tuple[object, ...] = ()

    def show(self, chart: Chart | None, room: int) -> None:
        """Show a chart in a workspace of so many rows; without one the widget takes no room."""
        self._chart = chart
        self.display = chart is not None
        if chart is not None:
            self.styles.height = _height(chart, room)
            self.refresh()

    def lane_beside(self, step: int) -> str:
        """The key of the row that the next lane leads to, or the one before.

        A lane whose bars lead to rows of their own is walked along bar by bar.
        """
        stops = [(key, lane) for lane in self._lanes() for key in _keys(lane)]
        if not stops:
            return ""
        here = [n for n, (key, _) in enumerate(stops) if key == self.pointed]
        here += [n for n, (_, lane) in enumerate(stops) if lane.stands_for(self.pointed)]
        return stops[min(max(here[0] + step, 0), len(stops) - 1) if here else 0][0]

    def _lanes(self) -> list[Lane]:
        return [lane for lane in self._chart.lanes if lane.key] if self._chart else []

    def _lines(self) -> Rows:
        from brave_bridge.drawings.chart_text import drawn

        asked = (self._chart, self.size, self.pointed)
        if self._chart is not None and asked != self._drawn_for:
            self._rows = drawn(self._chart, self.size.width, self.size.height, self.pointed)
            self._drawn_for = asked
        return self._rows

    def render_line(self, y: int) -> Strip:
        rows = self._lines()
        width = self.size.width
        if y >= len(rows):
            return Strip.blank(width, self.rich_style)
        segments, text, tone = [], "", rows[y][0].tone if rows[y] else "plain"
        for ink in rows[y]:
            if ink.tone != tone:
                segments.append(Segment(text, self.get_component_rich_style(f"picture--{tone}")))
                text, tone = "", ink.tone
            text += ink.character
        segments.append(Segment(text, self.get_component_rich_style(f"picture--{tone}")))
        return Strip(segments).adjust_cell_length(width, self.rich_style)

    def on_click(self, event: events.Click) -> None:
        rows = self._lines()
        if event.y < len(rows) and event.x < len(rows[event.y]):
            key = rows[event.y][event.x].key
            if key:
                self.post_message(self.Led(key))


def _keys(lane: Lane) -> list[str]:
    """The rows that a lane leads to: those of its bars, else its own."""
    return list(dict.fromkeys(bar.key for bar in lane.bars if bar.key)) or [lane.key]


def _height(chart: Chart, room: int) -> int:
    from brave_bridge.drawings.chart_text import height_of

    if room >= _ROOMY:
        return max(height_of(chart, int(room * 0.4)), 1)
    return max(height_of(chart, room // 3), 1) if room >= _TIGHT else 1
