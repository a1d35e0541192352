"""A day of work as a strip: what was carried out when, with its warnings."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark

if TYPE_CHECKING:
    from brave_bridge.store.rows import ProcedureRow

_MOST = 10
_SHORT = 480.0
"""Seconds of work up to which the axis tells seconds."""
LEGEND = (("█", "done"), ("▒", "not ended"), ("■", "failed"), ("▲", "with warnings"))
_MARKS = {"done": ("●", "clear"), "failed": ("■", "stop")}


def logbook_picture(procedures: Sequence["ProcedureRow"]) -> Chart:
    """The newest day on which something was done; each procedure from its begin to its end."""
    if not procedures:
        return Chart("An empty logbook", telling="○ nothing has happened yet")
    day = procedures[0].began[:10]
    rows = [row for row in procedures if row.began[:10] == day][:_MOST]
    first = min(datetime.fromisoformat(row.began) for row in rows)
    last = max(datetime.fromisoformat(row.ended or row.began) for row in rows)
    length = max((last - first).total_seconds(), 60.0)
    lanes = tuple(_lane(row, first, length) for row in rows)
    quarters = [(n / 4, first + timedelta(seconds=length * n / 4)) for n in range(5)]
    form = "%H:%M" if length > _SHORT else "%H:%M:%S"
    return Chart(
        title=f"{day}: {counted(len(rows), 'procedure')}",
        lanes=lanes,
        ticks=tuple((at, moment.strftime(form)) for at, moment in quarters),
        telling=_telling(procedures),
        legend=LEGEND,
    )


def _lane(row: "ProcedureRow", first: datetime, length: float) -> Lane:
    start = (datetime.fromisoformat(row.began) - first).total_seconds() / length
    end = (datetime.fromisoformat(row.ended or row.began) - first).total_seconds() / length
    symbol, tone = _MARKS.get(row.state, ("▲", "caution"))
    warned = row.outcome.warnings if row.outcome else ()
    marks = [Mark(end, symbol, tone)]
    if warned:
        marks.append(Mark(min(end + 0.02, 1.0), "▲", "caution", f"{len(warned)}"))
    bar = Bar(start, max(end, start + 0.004), "solid" if row.ended else "light", tone)
    return Lane(row.id, row.kind, (bar,), tuple(marks), row.began[11:16], tone="plain")


def _telling(procedures: Sequence["ProcedureRow"]) -> str:
    newest = procedures[0]
    symbol, _ = _MARKS.get(newest.state, ("▲", ""))
    return f"{symbol} newest: {newest.kind}, {newest.state}, {newest.began[:16].replace('T', ' ')}"
