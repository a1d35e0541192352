"""The support time line: how long each machine, or each release, still gets fixes."""

from collections.abc import Sequence
from datetime import date, timedelta
from pathlib import Path

import msgspec

from brave_bridge.drawings.ink import AMBER, BRASS, CORAL, INK, PALE, SEA, of_text_alone, save

_SOON = timedelta(days=120)


class SupportBar(msgspec.Struct, frozen=True):
    """A bar: from a release's first day to its last one. What is not known is None."""

    name: str
    release: str
    begins: date | None
    ends: date | None


def tone(bar: SupportBar, today: date) -> str:
    """``past``, ``soon``, ``well`` or ``unknown``."""
    if bar.ends is None:
        return "unknown"
    if bar.ends < today:
        return "past"
    return "soon" if bar.ends - today <= _SOON else "well"


def span(bars: Sequence[SupportBar], today: date) -> tuple[date, date]:
    """The days that the drawing reaches from and to: all bars and today, with a margin."""
    days = [day for bar in bars for day in (bar.begins, bar.ends) if day] + [today]
    margin = max((max(days) - min(days)) / 20, timedelta(days=30))
    return min(days) - margin, max(days) + margin


_COLOURS = {"past": CORAL, "soon": AMBER, "well": SEA, "unknown": PALE}
_MARKS = {"past": "■", "soon": "▲", "well": "●", "unknown": "○"}


@of_text_alone
def save_support(bars: Sequence[SupportBar], title: str, today: date, path: Path) -> None:
    """Write the time line; the ending of ``path`` (.svg, .pdf) decides the format."""
    from matplotlib.dates import AutoDateLocator, ConciseDateFormatter, date2num
    from matplotlib.figure import Figure

    first, last = (date2num(day) for day in span(bars, today))
    height = 1.5 + 0.46 * max(len(bars), 1)
    figure = Figure(figsize=(11.0, height))
    axes = figure.add_axes((0.14, 0.5 / height, 0.83, 1 - 1.15 / height))
    for row, bar in enumerate(bars):
        begins = date2num(bar.begins) if bar.begins else first
        ends = date2num(bar.ends) if bar.ends else last
        colour = _COLOURS[tone(bar, today)]
        axes.barh(
            row,
            ends - begins,
            left=begins,
            height=0.42,
            color=colour,
            alpha=1.0 if bar.ends else 0.35,
        )
        axes.text(
            max(begins, first),
            row - 0.27,
            _words(bar, today),
            color=INK,
            fontsize=8,
            va="bottom",
            parse_math=False,
            zorder=3,
            bbox={"facecolor": "white", "edgecolor": "none", "pad": 0.6},
        )
    axes.vlines(date2num(today), -0.8, len(bars) - 0.5, color=BRASS, linewidth=1.6, zorder=2)
    axes.text(date2num(today), -0.95, f"today, {today}", color=BRASS, fontsize=8, ha="center")
    axes.set_xlim(first, last)
    axes.set_ylim(len(bars) - 0.4, -1.0)
    axes.set_yticks(range(len(bars)))
    axes.set_yticklabels([bar.name for bar in bars], parse_math=False)
    locator = AutoDateLocator()
    axes.xaxis.set_major_locator(locator)
    axes.xaxis.set_major_formatter(ConciseDateFormatter(locator))
    axes.tick_params(colors=INK, length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    figure.suptitle(title, x=0.02, ha="left", fontsize=12, color=INK, parse_math=False)
    save(figure, path)


def _words(bar: SupportBar, today: date) -> str:
    until = f", fixes to {bar.ends}" if bar.ends else ", no end known"
    return f"{_MARKS[tone(bar, today)]} {bar.release}{until}"
