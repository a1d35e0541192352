"""The pen of characters: a chart as cells, each a character with its tone and its lane.

A cell is one column of a terminal; bars end on halves of a cell, curves are drawn with braille
(two columns and four rows of dots a cell).
"""

import msgspec
from rich.cells import cell_len, set_cell_size

from brave_bridge.drawings.chart import Bar, Chart, Curve, Lane

_FILLS = {"solid": "█", "dense": "▓", "light": "▒", "dotted": "░", "broken": "╳"}
_WEDGES = "▁▂▃▄▅▆▇█"
_DOTS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))
"""The bits of a braille cell (Unicode, block 2800), row by row, left and right."""

_NAME_SHARE = 0.26
_CURVE_ROWS = 5
_LEAST_ROWS = 3


class Ink(msgspec.Struct, frozen=True):
    """A character in a tone; ``key`` is that of the lane it belongs to, empty for none."""

    character: str
    tone: str
    key: str = ""


_BLANK = Ink(" ", "plain")
Rows = list[list[Ink]]


def drawn(chart: Chart, width: int, height: int, pointed: str = "") -> Rows:
    """The chart in so many columns and rows; ``pointed`` is the key of the row to point at.

    Where not all lanes have room, those around the one pointed at are drawn, and how many are
    not is said. With less than three rows it is its telling line.
    """
    least = min(_LEAST_ROWS, height_of(chart, _LEAST_ROWS))
    if width < 30 or height < max(least, 2) or not (chart.lanes or chart.curves):
        return [_written(chart.telling or chart.title, width, "plain")][: max(height, 0)]
    left = _name_width(chart, width)
    right = max((cell_len(lane.note) for lane in chart.lanes), default=0)
    right = min(right + 2, width // 4) if right else 0
    pen = _Pen(chart, width, left, right, pointed)
    rows = pen.curves(min(_CURVE_ROWS, max(height - 2, 1))) if chart.curves else []
    has_axis = bool(chart.ticks or chart.lines)
    room = height - len(rows) - has_axis
    lanes, hidden = _shown(chart.lanes, max(room, 0), pointed)
    rows += [pen.lane(lane) for lane in lanes]
    if hidden and rows:
        rows[-1] = _written(f"  … and {hidden} more", width, "quiet")
    return [*rows, pen.axis()] if has_axis else rows


def height_of(chart: Chart, most: int) -> int:
    """How many rows a chart takes, if it may have so many."""
    wanted = len(chart.lanes) + bool(chart.ticks or chart.lines)
    return min(wanted + (_CURVE_ROWS if chart.curves else 0), most)


def _name_width(chart: Chart, width: int) -> int:
    names = (*(lane.name for lane in chart.lanes), *(curve.words for curve in chart.curves))
    longest = max(map(cell_len, names), default=0)
    return min(longest + 3, max(int(width * _NAME_SHARE), 12)) if longest else 1


def _shown(lanes: tuple[Lane, ...], room: int, pointed: str) -> tuple[tuple[Lane, ...], int]:
    if len(lanes) <= room:
        return lanes, 0
    at = next((n for n, lane in enumerate(lanes) if lane.stands_for(pointed)), 0)
    start = min(max(at - room // 2, 0), len(lanes) - room)
    return lanes[start : start + room], len(lanes) - room + 1


def _written(text: str, width: int, tone: str) -> list[Ink]:
    return [ink for character in set_cell_size(text, width) for ink in _cells(character, tone)]


def _cells(character: str, tone: str, key: str = "") -> list[Ink]:
    """What a character takes: a wide one two cells, of which the second is empty."""
    return [Ink(character, tone, key), *[Ink("", tone, key)] * (cell_len(character) - 1)]


def _set(row: list[Ink], at: int, cells: list[Ink]) -> None:
    """Put cells in their place; a wide character of which only a half would be left goes."""
    end = at + len(cells)
    if row[at].character == "":
        row[at - 1] = _BLANK
    if end < len(row) and row[end].character == "":
        row[end] = _BLANK
    row[at:end] = cells


class _Pen:
    """Draws one chart: names in ``left`` columns, notes in ``right``, the axis between."""

    def __init__(self, chart: Chart, width: int, left: int, right: int, pointed: str) -> None:
        self.chart = chart
        self.left = left
        self.width = width
        self.field = max(width - left - right, 10)
        self.pointed = pointed

    def lane(self, lane: Lane) -> list[Ink]:
        """One lane: its name, its bars under its marks, its note."""
        row = [msgspec.structs.replace(_BLANK, key=lane.key)] * self.width
        is_pointed = lane.stands_for(self.pointed)
        tone, point = ("chosen", "▸") if is_pointed else (lane.tone, " ")
        self._put(row, 0, f"{point} {lane.name}", tone, lane.key, self.left - 1)
        for bar in lane.bars:
            self._bar(row, bar, lane.key)
        self._cross(row, lane.key)
        for bar in lane.bars:
            self._words(row, self._column(bar.end) + 2, bar.words, bar.tone, lane.key)
        for mark in lane.marks:
            at = self._column(mark.at)
            _set(row, at, [Ink(mark.symbol, mark.tone, lane.key)])
            self._words(row, at + 2, mark.words, mark.tone, lane.key)
        note = self.left + self.field
        self._put(row, note + 1, lane.note, tone, lane.key, self.width - note - 1)
        return row

    def axis(self) -> list[Ink]:
        """The words of the ticks and of the lines across."""
        row = [_BLANK] * self.width
        for line in self.chart.lines:
            self._centred(row, self._column(line.at), line.words, line.tone)
        for at, words in self.chart.ticks:
            self._centred(row, self._column(at), words, "quiet")
        return row

    def curves(self, rows: int) -> Rows:
        """The curves in a field of braille, each named; where two meet, the first is seen."""
        dots: dict[tuple[int, int], int] = {}
        tones: dict[tuple[int, int], str] = {}
        for curve in reversed(self.chart.curves):
            for x, y in self._points(curve, self.field * 2, rows * 4):
                cell = (y // 4, x // 2)
                dots[cell] = dots.get(cell, 0) | _DOTS[y % 4][x % 2]
                tones[cell] = curve.tone
        drawn_rows = []
        for y in range(rows):
            row = [_BLANK] * self.width
            for x in range(self.field):
                if (y, x) in dots:
                    row[self.left + x] = Ink(chr(0x2800 + dots[y, x]), tones[y, x])
            drawn_rows.append(row)
        named = [curve for curve in self.chart.curves if curve.words]
        for number, curve in enumerate(named[:rows]):
            mark = "┄ " if curve.dashed else "─ "
            self._put(drawn_rows[number], 0, mark + curve.words, curve.tone, "", self.left - 1)
        return drawn_rows

    def _points(self, curve: Curve, wide: int, tall: int) -> list[tuple[int, int]]:
        found = []
        for (x0, y0), (x1, y1) in zip(curve.points, curve.points[1:], strict=False):
            steps = max(int(abs(x1 - x0) * wide), int(abs(y1 - y0) * tall), 1)
            for step in range(steps + 1):
                if curve.dashed and step % 4 > 1:
                    continue
                x, y = x0 + (x1 - x0) * step / steps, y0 + (y1 - y0) * step / steps
                found.append(
                    (min(int(x * (wide - 1)), wide - 1), min(int((1 - y) * (tall - 1)), tall - 1))
                )
        return found

    def _column(self, at: float) -> int:
        return self.left + min(max(round(at * (self.field - 1)), 0), self.field - 1)

    def _cross(self, row: list[Ink], key: str) -> None:
        """The lines across all lanes, over bars and under marks."""
        for line in self.chart.lines:
            _set(row, self._column(line.at), [Ink("│", line.tone, key)])

    def _bar(self, row: list[Ink], bar: Bar, key: str) -> None:
        first, last = self._column(bar.start), self._column(bar.end)
        if bar.end <= bar.start:
            return
        length = max(last - first, 1)
        key = bar.key or key
        tone = "chosen" if bar.key and bar.key == self.pointed else bar.tone
        for column in range(first, last + 1):
            character = _FILLS.get(bar.fill, "█")
            if bar.fill in ("rising", "falling"):
                along = (column - first) / length
                along = along if bar.fill == "rising" else 1 - along
                character = _WEDGES[min(int(along * len(_WEDGES)), len(_WEDGES) - 1)]
            _set(row, column, [Ink(character, tone, key)])
        # The last column is half full where the bar ends in the first half of it.
        exact = bar.end * (self.field - 1)
        if bar.fill == "solid" and last > first and exact - int(exact) < 0.5 <= bar.end - bar.start:
            row[last] = Ink("▌", tone, key)

    def _words(self, row: list[Ink], start: int, words: str, tone: str, key: str) -> None:
        """Words where nothing else stands yet, or none of them."""
        end = start + cell_len(words)
        if not words or end > self.left + self.field:
            return
        if all(cell.character in " │" for cell in row[start:end]):
            self._put(row, start, words, tone, key, end - start)

    def _centred(self, row: list[Ink], centre: int, words: str, tone: str) -> None:
        size = cell_len(words)
        start = min(max(centre - size // 2, self.left), max(self.left + self.field - size, 0))
        around = row[max(start - 1, 0) : start + size + 1]
        if all(cell.character == " " for cell in around):
            self._put(row, start, words, tone, "", size)

    def _put(self, row: list[Ink], start: int, words: str, tone: str, key: str, most: int) -> None:
        text = words if cell_len(words) <= most else set_cell_size(words, max(most - 1, 0)) + "…"
        column = start
        for character in text:
            cells = _cells(character, tone, key) if cell_len(character) else []
            if column + len(cells) > min(start + max(most, 0), len(row)):
                return
            _set(row, column, cells)
            column += len(cells)
