"""How much a plan changes: a bar for each leg, as a picture for paper."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from brave_bridge.core.formats.text import byte_size
from brave_bridge.drawings.ink import AMBER, BRASS, CORAL, INK, PALE, SEA, of_text_alone, save


class PlanBar(msgspec.Struct, frozen=True):
    """Packages of one leg by what happens to them; ``fetched`` in bytes.

    ``first`` and ``second`` are upgraded in stage one and two; ``jumps`` are told beside.
    """

    title: str
    first: int
    second: int
    new: int
    gone: int
    kept_back: int
    fetched: int
    jumps: tuple[str, ...] = ()


_PARTS = (
    ("first", "upgraded in stage one", SEA, ""),
    ("second", "upgraded in stage two", BRASS, ""),
    ("new", "new", PALE, "//"),
    ("kept_back", "kept back", AMBER, "xx"),
    ("gone", "would go away", CORAL, "\\\\"),
)
_MOST_JUMPS = 6


@of_text_alone
def save_plan_chart(bars: Sequence[PlanBar], title: str, path: Path) -> None:
    """Draw the bars into a file; its ending (.svg, .pdf) decides the format."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(10, 1.9 + 1.5 * len(bars)), layout="constrained")
    axes = figure.add_subplot()
    for at, bar in enumerate(bars):
        _draw(axes, bar, -at, named=not at)
    axes.set_title(title, loc="left", color=INK, fontsize=12, fontweight="bold")
    axes.set_yticks([-at for at in range(len(bars))], [bar.title for bar in bars], color=INK)
    axes.set_ylim(-len(bars) + 0.3, 0.55)
    axes.set_xlabel("packages", color=INK)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.tick_params(axis="y", length=0)
    figure.legend(loc="outside lower center", ncols=len(_PARTS), frameon=False, fontsize=8)
    save(figure, path)


def _draw(axes, bar: PlanBar, at: int, *, named: bool) -> None:
    left = 0
    for field, words, colour, hatch in _PARTS:
        count = getattr(bar, field)
        axes.barh(
            at,
            count,
            left=left,
            height=0.42,
            color=colour,
            hatch=hatch,
            edgecolor="white",
            label=words if named else None,
        )
        if count:
            axes.text(
                left + count / 2,
                at + 0.26,
                str(count),
                ha="center",
                va="bottom",
                fontsize=8,
                color=INK,
            )
        left += count
    more = len(bar.jumps) - _MOST_JUMPS
    words = [f"{byte_size(bar.fetched)} to fetch", *bar.jumps[:_MOST_JUMPS]]
    words += [f"and {more} more jumps"] if more > 0 else []
    lines = ["   ".join(words[start : start + 3]) for start in range(0, len(words), 3)]
    axes.text(0, at - 0.27, "\n".join(lines), ha="left", va="top", fontsize=7.5, color=INK)
