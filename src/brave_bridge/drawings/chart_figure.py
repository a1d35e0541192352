"""The pen for paper: the same chart as SVG and PDF."""

import textwrap
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brave_bridge.drawings.chart import Bar, Chart, Lane
from brave_bridge.drawings.ink import AMBER, BRASS, CORAL, INK, PALE, SEA, of_text_alone, save

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_COLOURS = {
    "plain": SEA,
    "quiet": PALE,
    "clear": SEA,
    "caution": AMBER,
    "stop": CORAL,
    "chosen": BRASS,
}
_HATCHES = {"solid": "", "dense": "", "light": "//", "dotted": "..", "broken": "xx"}
_LANE_INCHES, _CURVE_INCHES, _WIDE = 0.36, 2.0, 11.0
_LEGEND_LETTERS = 118
_TEXT: dict[str, Any] = {"parse_math": False}


def save_chart(chart: Chart, path: Path) -> None:
    """Write it; the ending of ``path`` (.svg, .pdf) decides the format."""
    save(figure_of(chart), path)


@of_text_alone
def figure_of(chart: Chart) -> "Figure":
    """The chart on a page as wide as it is, and as tall as its lanes need."""
    from matplotlib.figure import Figure

    curves = _CURVE_INCHES if chart.curves else 0.0
    tall = 1.3 + curves + _LANE_INCHES * len(chart.lanes) + 0.18 * bool(chart.legend)
    figure = Figure(figsize=(_WIDE, tall))
    draw_chart(chart, figure, (0.0, 0.0, 1.0, 1.0), tall)
    return figure


def draw_chart(
    chart: Chart, figure: "Figure", place: tuple[float, float, float, float], tall: float
) -> None:
    """Draw it into a part of a page: left, bottom, width and height as shares of it.

    ``tall`` is the height of that part in inches.
    """
    left, bottom, wide, high = place
    figure.text(
        left + 0.02 * wide,
        bottom + high - 0.08 / tall * high,
        chart.title,
        fontsize=12,
        color=INK,
        va="top",
        fontweight="bold",
        **_TEXT,
    )
    foot = (0.55 + 0.18 * bool(chart.legend)) / tall
    field = 1 - 0.5 / tall - foot
    curves = field * (_CURVE_INCHES / (_CURVE_INCHES + _LANE_INCHES * max(len(chart.lanes), 1)))
    curves = curves if chart.curves else 0.0
    inside = (left + 0.19 * wide, 0.64 * wide)
    if chart.lanes:
        axes = figure.add_axes(
            (inside[0], bottom + foot * high, inside[1], (field - curves) * high)
        )
        _draw_lanes(chart, axes)
    if chart.curves:
        start = bottom + (foot + field - curves) * high
        _draw_curves(chart, figure.add_axes((inside[0], start, inside[1], curves * 0.92 * high)))
    if chart.legend:
        words = "\n".join(textwrap.wrap(_legend(chart), _LEGEND_LETTERS))
        figure.text(
            left + 0.02 * wide, bottom + 0.1 / tall * high, words, fontsize=8, color=INK, **_TEXT
        )


def _legend(chart: Chart) -> str:
    """What symbols and fills mean, each with its words on one line."""
    kept = (f"{mark} {words}".replace(" ", "\u00a0") for mark, words in chart.legend)
    return "     ".join(kept)


def _draw_lanes(chart: Chart, axes: "Axes") -> None:
    for row, lane in enumerate(chart.lanes):
        _draw_lane(axes, row, lane)
    for line in chart.lines:
        axes.vlines(line.at, -0.6, len(chart.lanes) - 0.5, color=BRASS, linewidth=1.4, zorder=2)
        axes.text(
            line.at, -0.65, line.words, color=BRASS, fontsize=8, ha="center", va="bottom", **_TEXT
        )
    axes.set_xlim(0, 1)
    axes.set_ylim(len(chart.lanes) - 0.4, -0.9)
    axes.set_yticks(range(len(chart.lanes)))
    axes.set_yticklabels([lane.name for lane in chart.lanes], fontsize=8, color=INK, **_TEXT)
    axes.set_xticks([at for at, _ in chart.ticks])
    axes.set_xticklabels([words for _, words in chart.ticks], fontsize=8, color=INK, **_TEXT)
    _plain(axes)


def _draw_lane(axes: "Axes", row: int, lane: Lane) -> None:
    for bar in lane.bars:
        _draw_bar(axes, row, bar)
    for mark in lane.marks:
        axes.text(
            mark.at,
            row,
            mark.symbol,
            color=_COLOURS[mark.tone],
            fontsize=10,
            ha="center",
            va="center",
            fontfamily="DejaVu Sans",
            zorder=4,
            **_TEXT,
        )
        if mark.words:
            axes.text(
                mark.at + 0.012,
                row - 0.05,
                mark.words,
                bbox={"facecolor": "white", "edgecolor": "none", "pad": 0.8, "alpha": 0.85},
                color=INK,
                fontsize=7,
                va="center",
                zorder=4,
                **_TEXT,
            )
    if lane.note:
        axes.text(1.01, row, lane.note, color=INK, fontsize=8, va="center", **_TEXT)


def _draw_bar(axes: "Axes", row: int, bar: Bar) -> None:
    colour = _COLOURS[bar.tone]
    if bar.end <= bar.start:
        return
    if bar.fill in ("rising", "falling"):
        tip, base = (bar.start, bar.end) if bar.fill == "rising" else (bar.end, bar.start)
        axes.fill([tip, base, base], [row, row - 0.3, row + 0.3], color=colour, zorder=2)
    else:
        axes.barh(
            row,
            bar.end - bar.start,
            left=bar.start,
            height=0.5,
            color=colour,
            hatch=_HATCHES[bar.fill],
            edgecolor="white",
            linewidth=0.0,
            zorder=2,
            alpha=1.0 if bar.fill == "solid" else 0.6,
        )
    if bar.words:
        axes.text(
            bar.end + 0.008, row, bar.words, color=INK, fontsize=7, va="center", zorder=3, **_TEXT
        )


def _draw_curves(chart: Chart, axes: "Axes") -> None:
    for curve in chart.curves:
        axes.plot(
            [x for x, _ in curve.points],
            [y for _, y in curve.points],
            color=_COLOURS[curve.tone],
            linestyle="--" if curve.dashed else "-",
            linewidth=1.6,
            label=curve.words,
        )
    axes.set_xlim(0, 1)
    axes.set_ylim(-0.02, 1.05)
    axes.set_xticks([])
    axes.set_yticks([])
    axes.legend(loc="upper left", fontsize=8, frameon=False)
    _plain(axes)


def _plain(axes: "Axes") -> None:
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
