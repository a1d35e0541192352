"""The space chart: what each snapshot holds alone and shares with others, and what is free."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from brave_bridge.core.formats.text import byte_size
from brave_bridge.drawings.ink import AMBER, BRASS, CORAL, INK, PALE, SEA, of_text_alone, save


class SpaceBar(msgspec.Struct, frozen=True):
    """A snapshot's bar: sizes in bytes; ``mark`` tells pinned, ending or damaged ones."""

    name: str
    about: str
    alone: int
    shared: int
    mark: str = "◇"


_COLOURS = {"◇": SEA, "◆": BRASS, "▲": AMBER, "■": CORAL}


@of_text_alone
def save_space(bars: Sequence[SpaceBar], free: int, title: str, path: Path) -> None:
    """Write the chart; the ending of ``path`` (.svg, .pdf) decides the format."""
    from matplotlib.figure import Figure
    from matplotlib.ticker import FuncFormatter

    height = 1.7 + 0.5 * max(len(bars), 1)
    figure = Figure(figsize=(11.0, height))
    axes = figure.add_axes((0.2, 0.75 / height, 0.76, 1 - 1.5 / height))
    for row, bar in enumerate(bars):
        axes.barh(row, bar.alone, height=0.44, color=_COLOURS.get(bar.mark, SEA))
        axes.barh(row, bar.shared, left=bar.alone, height=0.44, color=PALE)
        axes.text(
            bar.alone + bar.shared,
            row,
            f"  {byte_size(bar.alone)} alone, {byte_size(bar.shared)} shared",
            va="center",
            fontsize=8,
            color=INK,
        )
    widest = max((bar.alone + bar.shared for bar in bars), default=0) or 1
    axes.set_xlim(0, widest * 1.45)
    axes.set_ylim(len(bars) - 0.5, -0.6)
    axes.set_yticks(range(len(bars)))
    axes.set_yticklabels([f"{bar.mark} {bar.name}" for bar in bars], parse_math=False)
    axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: byte_size(int(max(value, 0)))))
    axes.tick_params(colors=INK, length=0, labelsize=8)
    for side in axes.spines.values():
        side.set_visible(False)
    for row, bar in enumerate(bars):
        axes.text(0, row + 0.27, bar.about, fontsize=7, color=INK, va="top", parse_math=False)
    figure.suptitle(title, x=0.02, ha="left", fontsize=12, color=INK, parse_math=False)
    held = sum(bar.alone for bar in bars) + max((bar.shared for bar in bars), default=0)
    figure.text(
        0.02,
        0.12 / height,
        f"{byte_size(held)} held by all, {byte_size(free)} free",
        fontsize=8,
        color=INK,
    )
    save(figure, path)
