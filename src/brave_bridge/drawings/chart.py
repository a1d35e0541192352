"""A chart as geometry: lanes on one common axis, with bars and marks; or curves over it.

Every view that is looked at is one of these; three pens draw it: characters
(``chart_text.py``), SVG and PDF (``chart_figure.py``). Places along the axis go from 0 (left) to
1 (right). Nothing is told by colour alone: a bar has a fill, a mark a symbol.
"""

from collections.abc import Iterable, Sequence
from datetime import date, timedelta

import msgspec

FILLS = ("solid", "dense", "light", "dotted", "broken", "rising", "falling")
"""How a bar is filled; ``rising`` and ``falling`` are wedges that grow to the right or left."""

TONES = ("plain", "quiet", "clear", "caution", "stop", "chosen")
"""What a bar or mark means; the same words as of a page's rows."""


class Bar(msgspec.Struct, frozen=True):
    """A stretch of a lane. ``words`` stand in it, or behind it, where there is room.

    ``key`` is that of the row it leads to, where it is another than the lane's.
    """

    start: float
    end: float
    fill: str = "solid"
    tone: str = "plain"
    words: str = ""
    key: str = ""


class Mark(msgspec.Struct, frozen=True):
    """A point on a lane: one symbol, with words beside it where there is room."""

    at: float
    symbol: str
    tone: str = "plain"
    words: str = ""


class Lane(msgspec.Struct, frozen=True):
    """One line of a chart. ``key`` is that of the row of the list that it leads to.

    ``rows`` are the keys of all rows that it stands for, where they are more. ``name`` stands to
    the left of it, ``note`` to the right.
    """

    key: str
    name: str
    bars: tuple[Bar, ...] = ()
    marks: tuple[Mark, ...] = ()
    note: str = ""
    tone: str = "plain"
    rows: tuple[str, ...] = ()

    def stands_for(self, row: str) -> bool:
        """Whether it is the one of a row of the list."""
        return bool(row) and (row == self.key or row in self.rows)


class Line(msgspec.Struct, frozen=True):
    """A line across all lanes: today, or a bound."""

    at: float
    words: str
    tone: str = "chosen"


class Curve(msgspec.Struct, frozen=True):
    """A curve over the axis. ``points`` are places and heights, both from 0 to 1, in order.

    One without words goes with the one before it.
    """

    words: str
    points: tuple[tuple[float, float], ...]
    tone: str = "plain"
    dashed: bool = False


class Chart(msgspec.Struct, frozen=True):
    """A picture of a view. ``ticks`` are places on the axis with their words.

    ``telling`` is the one line that says most, for where there is no room for more; ``legend``
    says what symbols and fills mean. Curves are drawn above the lanes.
    """

    title: str
    lanes: tuple[Lane, ...] = ()
    ticks: tuple[tuple[float, str], ...] = ()
    lines: tuple[Line, ...] = ()
    curves: tuple[Curve, ...] = ()
    telling: str = ""
    legend: tuple[tuple[str, str], ...] = ()


class TimeAxis(msgspec.Struct, frozen=True):
    """Days as places on an axis."""

    first: date
    last: date

    @classmethod
    def around(cls, days: Iterable[date], today: date, *, least_days: int = 90) -> "TimeAxis":
        """An axis that holds these days and today, with a margin, and is not too short."""
        every = [*days, today]
        length = max((max(every) - min(every)).days, least_days)
        margin = timedelta(days=max(length // 25, 2))
        return cls(min(every) - margin, max(max(every), today + timedelta(least_days)) + margin)

    def at(self, day: date) -> float:
        """The place of a day; days beyond the axis are at its ends."""
        length = max((self.last - self.first).days, 1)
        return min(max((day - self.first).days / length, 0.0), 1.0)

    @property
    def ticks(self) -> tuple[tuple[float, str], ...]:
        """Years, or months where the axis is short."""
        days = (self.last - self.first).days
        if days > 1200:
            years = range(self.first.year + 1, self.last.year + 1)
            step = max(len(years) // 10, 1)
            return tuple((self.at(date(year, 1, 1)), str(year)) for year in [*years][::step])
        months = [
            date(year, month, 1)
            for year in range(self.first.year, self.last.year + 1)
            for month in range(1, 13)
        ]
        inside = [month for month in months if self.first < month <= self.last]
        step = max(len(inside) // 10, 1)
        return tuple((self.at(month), f"{month:%b %y}") for month in inside[::step])

    def line(self, today: date) -> Line:
        """Today's line."""
        return Line(self.at(today), "today")


def shares(amounts: Sequence[float]) -> list[float]:
    """Amounts as lengths from 0 to 1, the largest 1; small ones are seen as well."""
    largest = max(amounts, default=0.0)
    if largest <= 0:
        return [0.0 for _ in amounts]
    return [max((amount / largest), 0.012) if amount > 0 else 0.0 for amount in amounts]
