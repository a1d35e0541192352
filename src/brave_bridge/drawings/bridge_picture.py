"""The bridge as SVG and PDF, from the same geometry that the screen draws."""

from pathlib import Path

from brave_bridge.drawings.bridge import Bridge
from brave_bridge.drawings.ink import BRASS, INK, PALE, of_text_alone, save


@of_text_alone
def save_bridge(drawn: Bridge, title: str, path: Path) -> None:
    """Write the drawing; the file's ending (.svg, .pdf) decides the format."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(11.0, 2.6))
    axes = figure.add_axes((0.02, 0.05, 0.96, 0.8))
    axes.set_xlim(0, 1)
    axes.set_ylim(0, 1)
    axes.axis("off")
    figure.suptitle(title, x=0.03, ha="left", fontsize=12, color=INK)
    styles = {
        "built": (BRASS, "-", 5),
        "planned": (PALE, (0, (1, 1)), 3),
        "beyond": (PALE, (0, (1, 3)), 2),
        "broken": (INK, (0, (0.4, 1)), 3),
    }
    for deck in drawn.decks:
        colour, dashes, width = styles[deck.kind]
        axes.plot(
            [deck.start, deck.end],
            [0.5, 0.5],
            color=colour,
            linestyle=dashes,
            linewidth=width,
            solid_capstyle="butt",
        )
    for pier in drawn.piers:
        colour = INK if pier.reached else PALE
        axes.plot([pier.x, pier.x], [0.12, 0.5], color=colour, linewidth=4)
        axes.text(pier.x, 0.72, pier.title, ha="center", fontsize=10, color=INK)
    for mark in drawn.marks:
        axes.plot(
            mark.x,
            0.5,
            marker="o",
            markersize=7,
            color=BRASS if mark.passed else "white",
            markeredgecolor=BRASS if mark.passed else PALE,
        )
        axes.text(mark.x, 0.3, mark.title, ha="center", fontsize=8, color=INK)
    axes.plot(drawn.place, 0.5, marker="D", markersize=11, color=INK)
    save(figure, path)
