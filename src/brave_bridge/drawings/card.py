"""The recovery card as a page: A4 or Letter, black on white, as SVG and PDF."""

import io
import textwrap
from collections.abc import Sequence
from pathlib import Path

import segno
from matplotlib.backends.backend_pdf import FigureCanvasPdf
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure
from matplotlib.patches import FancyArrowPatch, PathPatch, Rectangle
from matplotlib.path import Path as Outline
from matplotlib.transforms import Affine2D

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.ways_back.recovery_card import Card, CardDisk
from brave_bridge.drawings.ink import of_text_alone
from brave_bridge.machines.opening.named import write_named

PAPERS = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
"""Width and height in millimetres."""

_MARGIN = 14.0
_MONO, _SANS = "DejaVu Sans Mono", "DejaVu Sans"
_POINT = 0.3528
"""Millimetres a point."""


def save_card(card: Card, folder: Path, stem: str, paper: str = "a4") -> list[Path]:
    """Write ``stem``.svg and ``stem``.pdf; their paths. ValueError for a paper that is none."""
    written = []
    for ending, content in drawn_card(card, paper).items():
        written.append(folder / f"{stem}{ending}")
        write_named(written[-1], content)
    return written


@of_text_alone
def drawn_card(card: Card, paper: str = "a4") -> dict[str, bytes]:
    """The card as files, by the ending of their names. ValueError for a paper that is none."""
    if paper not in PAPERS:
        raise ValueError(f"{paper!r} is none of: {', '.join(PAPERS)}")
    figure = draw_card(card, paper)
    svg, pdf = io.BytesIO(), io.BytesIO()
    FigureCanvasSVG(figure).print_svg(svg)
    FigureCanvasPdf(figure).print_pdf(pdf)
    return {".svg": svg.getvalue(), ".pdf": pdf.getvalue()}


def draw_card(card: Card, paper: str = "a4") -> Figure:
    """The page as a figure, drawn in millimetres from its lower left corner."""
    width, height = PAPERS[paper]
    figure = Figure(figsize=(width / 25.4, height / 25.4), facecolor="white")
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, width)
    axes.set_ylim(0, height)
    axes.axis("off")
    _Page(axes, width, height).draw(card)
    return figure


_CODE = 40.0
"""How wide and tall the code is, in millimetres."""

_CODE_EDGE = 4
"""So many of its squares' width a reader needs free on each side (ISO/IEC 18004)."""

_DISK = 21.0
"""What a disk takes of the page's height, in millimetres."""


class _Page:
    """A page that is filled from the top."""

    def __init__(self, axes, width: float, height: float) -> None:
        self.axes = axes
        self.left, self.right = _MARGIN, width - _MARGIN
        self.y = height - _MARGIN

    def draw(self, card: Card) -> None:
        self._text(card.title, 19, bold=True)
        under_rule = self._rule()
        squares = segno.make(card.code, error="l", micro=False).matrix
        edge = _CODE_EDGE * _CODE / len(squares)
        self._head(card, self.right - _CODE - edge)
        below = self._code(squares, self.right - _CODE, under_rule - edge, edge)
        self.y = min(self.y, below)
        self._chain(card.chain)
        self._steps(card)
        self._disks(card.disks)
        self._foot()

    def _text(
        self,
        words: str,
        size: float,
        *,
        bold: bool = False,
        mono: bool = False,
        x: float | None = None,
        right: float | None = None,
    ) -> None:
        """Text from ``x``, folded at ``right``; the page goes down by its height."""
        x = self.left if x is None else x
        room = (right or self.right) - x
        letter = size * _POINT * (0.602 if mono else 0.64 if bold else 0.56)
        fold = max(int(room / letter), 10)
        indent = "    " if mono else ""
        lines = textwrap.wrap(words, fold, subsequent_indent=indent, break_on_hyphens=False) or [""]
        for line in lines:
            self.axes.text(
                x,
                self.y,
                line,
                fontsize=size,
                va="top",
                ha="left",
                color="black",
                family=_MONO if mono else _SANS,
                weight="bold" if bold else "normal",
                parse_math=False,
            )
            self.y -= size * _POINT * 1.38

    def _rule(self) -> float:
        """Rule off what is above; where the rule ends."""
        ruled = self.y - 1.2
        self.axes.plot([self.left, self.right], [ruled, ruled], color="black", linewidth=1.2)
        self.y = ruled - 3.4
        return ruled - 1.2 * _POINT

    def _head(self, card: Card, right: float) -> None:
        for name, value in card.head:
            top = self.y
            self._text(name, 8.5, x=self.left, right=right)
            self.y = top
            strong = name in ("good kernel", "way back")
            self._text(
                value,
                8.5,
                bold=strong,
                mono=name in ("checksum", "logbook"),
                x=self.left + 27,
                right=right,
            )
            self.y -= 0.6

    def _code(self, rows: Sequence[Sequence[int]], x: float, top: float, edge: float) -> float:
        """The code, with its caption below its free edge; where that ends."""
        cell = _CODE / len(rows)
        squares = [
            Outline.unit_rectangle().transformed(
                Affine2D().translate(column, -number - 1).scale(cell).translate(x, top)
            )
            for number, row in enumerate(rows)
            for column, dark in enumerate(row)
            if dark
        ]
        # One shape: as hundreds of patches it takes a second to draw.
        code = PathPatch(Outline.make_compound_path(*squares), color="black", linewidth=0.1)
        self.axes.add_artist(code)
        self.axes.text(
            x,
            top - _CODE - edge,
            "the rescue commands as text",
            fontsize=6.5,
            va="top",
            family=_SANS,
            color="black",
        )
        return top - _CODE - edge - 6.5 * _POINT - 2

    def _steps(self, card: Card) -> None:
        self._title("What to do, in this order")
        for number, step in enumerate(card.steps, 1):
            top = self.y
            self._text(str(number), 12, bold=True)
            self.y = top
            self._text(step.words, 9.5, x=self.left + 8)
            self.y -= 0.4
            for command in step.commands:
                self._text(command, 8.2, mono=True, x=self.left + 11)
            self.y -= 2.2

    def _title(self, words: str) -> None:
        self.y -= 1.5
        self._text(words, 11, bold=True)
        self.y -= 1.4

    def _chain(self, chain) -> None:
        self._title("How it starts")
        gap, tall = 5.0, 12.5
        wide = (self.right - self.left - gap * (len(chain) - 1)) / len(chain)
        for number, (name, value) in enumerate(chain):
            x = self.left + number * (wide + gap)
            heavy = name == "kernel"
            self._box(x, wide, tall, name, value, heavy=heavy)
            if number:
                self.axes.add_patch(
                    FancyArrowPatch(
                        (x - gap, self.y - tall / 2),
                        (x, self.y - tall / 2),
                        arrowstyle="-|>",
                        mutation_scale=8,
                        color="black",
                        linewidth=1,
                        shrinkA=0,
                        shrinkB=0,
                    )
                )
        self.y -= tall + 3

    def _box(
        self, x: float, wide: float, tall: float, name: str, value: str, *, heavy: bool
    ) -> None:
        self.axes.add_patch(
            Rectangle(
                (x, self.y - tall),
                wide,
                tall,
                facecolor="white",
                edgecolor="black",
                linewidth=2.2 if heavy else 0.9,
            )
        )
        self.axes.text(x + 1.6, self.y - 1.4, name, fontsize=6.5, va="top", family=_SANS)
        fold = max(int((wide - 3) / (8 * _POINT * 0.6)), 6)
        lines = textwrap.wrap(value, fold, break_on_hyphens=True)[:2]
        self.axes.text(
            x + 1.6,
            self.y - 5.0,
            "\n".join(lines),
            fontsize=8,
            va="top",
            family=_SANS,
            weight="bold" if heavy else "normal",
            linespacing=1.15,
            parse_math=False,
        )

    def _disks(self, disks: tuple[CardDisk, ...]) -> None:
        if not disks:
            return
        self._title("Where it stands")
        for number, disk in enumerate(disks):
            if self.y - _DISK < _MARGIN:
                names = ", ".join(one.name for one in disks[number:])
                self._text(f"and {names}: see the card as text", 8.5)
                return
            size = f", {byte_size(disk.size)}" if disk.size else ""
            self._text(f"{disk.name}{size}", 8.5, bold=True)
            self.y -= 0.4
            self._parts(disk)

    def _parts(self, disk: CardDisk) -> None:
        tall = 13.0
        count = max(len(disk.parts), 1)
        wide = (self.right - self.left) / count
        for number, part in enumerate(disk.parts):
            x = self.left + number * wide
            self.axes.add_patch(
                Rectangle(
                    (x, self.y - tall),
                    wide,
                    tall,
                    facecolor="white",
                    edgecolor="black",
                    linewidth=0.9,
                    linestyle="-" if part.kept else (0, (4, 3)),
                )
            )
            kept = f"snapshot {part.kept}" if part.kept else "not covered"
            lines = [f"{part.mount}  {part.type}", part.name[:46], kept]
            for row, line in enumerate(lines):
                self.axes.text(
                    x + 1.6,
                    self.y - 1.5 - row * 3.8,
                    line,
                    fontsize=8 if not row else 6.4,
                    va="top",
                    family=_MONO if row == 1 else _SANS,
                    weight="normal" if row else "bold",
                    parse_math=False,
                )
        self.y -= tall + 3

    def _foot(self) -> None:
        self.axes.text(
            self.left,
            _MARGIN - 5,
            "Home folders are not part of a snapshot. Keep this page away "
            "from the machine; make it anew after every change of kernels or disks.",
            fontsize=7,
            va="bottom",
            family=_SANS,
        )
