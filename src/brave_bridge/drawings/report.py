"""A text with headings as a printable document: A4 pages with margins and page numbers."""

import textwrap
from collections.abc import Iterable, Iterator
from pathlib import Path

from brave_bridge.drawings.ink import INK, PALE

_WIDE, _TALL = 8.27, 11.69
_MARGIN, _STEP = 0.8, 0.17
"""Inches."""

_LETTERS, _LINES = 104, int((_TALL - 2 * _MARGIN) / _STEP)
_SIZES = {"# ": 14.0, "## ": 12.0, "### ": 10.0}


def save_report(lines: Iterable[str], path: Path) -> None:
    """Write Markdown of headings, paragraphs and lists as a PDF document."""
    from matplotlib.backends.backend_pdf import PdfPages
    from matplotlib.figure import Figure

    rows = list(_rows(lines))
    pages = [rows[start : start + _LINES] for start in range(0, len(rows), _LINES)] or [[]]
    with PdfPages(path, metadata={"CreationDate": None}) as document:
        for number, page in enumerate(pages, start=1):
            figure = Figure(figsize=(_WIDE, _TALL))
            for at, (words, size) in enumerate(page):
                y = 1 - (_MARGIN + at * _STEP) / _TALL
                heavy = "bold" if size > 8 else "normal"
                figure.text(
                    _MARGIN / _WIDE,
                    y,
                    words,
                    fontsize=size,
                    fontweight=heavy,
                    color=INK,
                    va="top",
                    parse_math=False,
                )
            figure.text(
                0.5, 0.4 / _TALL, f"{number} of {len(pages)}", fontsize=8, color=PALE, ha="center"
            )
            document.savefig(figure)


def _rows(lines: Iterable[str]) -> Iterator[tuple[str, float]]:
    """Each printed line and its size; long ones are wrapped."""
    for line in lines:
        mark = next((mark for mark in _SIZES if line.startswith(mark)), "")
        if mark:
            yield line.removeprefix(mark), _SIZES[mark]
            continue
        text = line.replace("**", "").replace("`", "")
        indent = "  " if text.startswith("- ") else ""
        for piece in textwrap.wrap(text, _LETTERS, subsequent_indent=indent) or [""]:
            yield piece, 8.0
