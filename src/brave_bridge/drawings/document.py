"""Documents for paper: parts with a picture and text in one or two columns, A4, as PDF."""

import io
import textwrap
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from brave_bridge.drawings.chart import Chart
from brave_bridge.drawings.ink import BRASS, INK, PALE, of_text_alone
from brave_bridge.machines.opening.named import write_named

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_WIDE, _TALL = 8.27, 11.69
_MARGIN, _GUTTER = 0.75, 0.3
"""Inches."""

_LETTERS_AN_INCH = 16.6
"""At eight points; smaller letters are more."""

_PLAIN, _SMALL, _HEAD = 8.0, 7.0, 9.5
_TEXT: dict[str, Any] = {"parse_math": False}


class Section(msgspec.Struct, frozen=True):
    """A heading and its lines; a line that begins with ``- `` hangs."""

    heading: str
    lines: tuple[str, ...]


class Part(msgspec.Struct, frozen=True):
    """A part begins on a page of its own: title, a line about it, a picture, then sections."""

    title: str
    about: str = ""
    picture: Chart | None = None
    sections: tuple[Section, ...] = ()
    columns: int = 1


class _Line(msgspec.Struct, frozen=True):
    """A printed line; ``size`` in points."""

    words: str
    size: float
    bold: bool = False


@of_text_alone
def save_document(parts: Sequence[Part], path: Path) -> None:
    """Write the parts as one PDF with page numbers."""
    from matplotlib.backends.backend_pdf import PdfPages

    figures = [figure for part in parts for figure in _pages(part)]
    drawn = io.BytesIO()
    with PdfPages(drawn, metadata={"CreationDate": None}) as document:
        for number, figure in enumerate(figures, start=1):
            words = f"{number} of {len(figures)}"
            figure.text(0.5, 0.35 / _TALL, words, fontsize=8, color=PALE, ha="center")
            document.savefig(figure)
    write_named(path, drawn.getvalue())


def _pages(part: Part) -> Iterator["Figure"]:
    lines = list(_lines(part))
    figure, top = _first_page(part)
    at = 0
    while True:
        at = _filled(figure, lines, at, top, part.columns)
        yield figure
        if at >= len(lines):
            return
        figure, top = _empty_page(), _TALL - _MARGIN


def _empty_page() -> "Figure":
    from matplotlib.figure import Figure

    return Figure(figsize=(_WIDE, _TALL))


def _first_page(part: Part) -> tuple["Figure", float]:
    """The page with title and picture, and from which height on (inches) text may stand."""
    figure = _empty_page()
    top = _TALL - _MARGIN
    figure.text(
        _MARGIN / _WIDE,
        top / _TALL,
        part.title,
        fontsize=15,
        fontweight="bold",
        color=INK,
        va="top",
        **_TEXT,
    )
    top -= 0.36
    for line in textwrap.wrap(part.about, int((_WIDE - 2 * _MARGIN) * _LETTERS_AN_INCH)):
        figure.text(
            _MARGIN / _WIDE, top / _TALL, line, fontsize=_PLAIN, color=INK, va="top", **_TEXT
        )
        top -= 0.16
    if part.picture is not None:
        from brave_bridge.drawings.chart_figure import draw_chart

        curves = 1.6 if part.picture.curves else 0.0
        tall = min(1.2 + curves + 0.27 * len(part.picture.lanes), 6.2)
        place = (_MARGIN / _WIDE, (top - tall) / _TALL, 1 - 2 * _MARGIN / _WIDE, tall / _TALL)
        draw_chart(part.picture, figure, place, tall)
        top -= tall + 0.1
    return figure, top - 0.08


def _lines(part: Part) -> Iterator[_Line]:
    size = _PLAIN if part.columns == 1 else _SMALL
    width = (_WIDE - 2 * _MARGIN - _GUTTER * (part.columns - 1)) / part.columns
    letters = int(width * _LETTERS_AN_INCH * _PLAIN / size)
    for section in part.sections:
        yield _Line("", size)
        for piece in textwrap.wrap(section.heading, int(letters * 0.82)):
            yield _Line(piece, _HEAD if part.columns == 1 else _PLAIN, True)
        for line in section.lines:
            indent = "  " if line.startswith("- ") else ""
            for piece in textwrap.wrap(line, letters, subsequent_indent=indent) or [""]:
                yield _Line(piece, size)


def _filled(figure: "Figure", lines: list[_Line], at: int, top: float, columns: int) -> int:
    """Set lines from number ``at`` on below a height; the number of the first that is left."""
    width = (_WIDE - 2 * _MARGIN - _GUTTER * (columns - 1)) / columns
    for column in range(columns):
        left, y = _MARGIN + column * (width + _GUTTER), top
        while at < len(lines):
            line = lines[at]
            step = line.size / 72 * 1.42
            # A heading does not stand alone at the foot of a column.
            if y - step * (4 if line.bold else 1) < _MARGIN:
                break
            if line.words or y < top:
                figure.text(
                    left / _WIDE,
                    y / _TALL,
                    line.words,
                    fontsize=line.size,
                    color=BRASS if line.bold else INK,
                    fontweight="bold" if line.bold else "normal",
                    va="top",
                    **_TEXT,
                )
                y -= step
            at += 1
    return at
