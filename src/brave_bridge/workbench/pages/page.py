"""What a workspace shows: one immutable page, made here and only laid out by the screen."""

from collections.abc import Iterator
from typing import Any

import msgspec

from brave_bridge.drawings.chart import Chart


class Note(msgspec.Struct, frozen=True):
    """A paragraph of the Why pane. ``kind``: ``title``, ``text``, ``seen``, ``do``, ``code``."""

    kind: str
    text: str


class Column(msgspec.Struct, frozen=True):
    """A column. ``width`` 0 takes what is left; ``right`` aligns numbers.

    On a narrow screen a ``firm`` column keeps its width.
    """

    title: str
    width: int = 0
    right: bool = False
    firm: bool = False


class Row(msgspec.Struct, frozen=True):
    """A line of a page's table.

    ``tone``: ``plain``, ``quiet``, ``heading``, ``clear``, ``caution``, ``stop``, ``chosen``.
    ``action`` is what Enter does with it, empty for nothing. A ``folded`` row is seen only
    while the page is filtered. ``of`` is what the row stands for, where keys act on that: a typed
    value, as ``key`` only tells rows apart.
    """

    key: str
    cells: tuple[str, ...]
    tone: str = "plain"
    why: tuple[Note, ...] = ()
    action: str = ""
    folded: bool = False
    of: Any = None


class OfTask(msgspec.Struct, frozen=True):
    """A step that only a person can do, by its key among those that are done."""

    key: str


class Page(msgspec.Struct, frozen=True):
    """A workspace's content. ``empty`` is said where there are no rows.

    ``about`` fills the Why pane while no row is pointed at; ``start`` is the key of the row
    that the cursor is on first.
    """

    summary: str
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    empty: str = ""
    about: tuple[Note, ...] = ()
    start: str = ""
    picture: Chart | None = None
    """What the list says, to be seen at one look."""
    newest_first: bool = False
    """The first row is what happened last: the cursor stays with it until it is moved away."""


def heading(text: str, columns: int) -> Row:
    """A heading between rows."""
    return Row(f"heading:{text}", ("", text, *[""] * (columns - 2)), "heading")


def title(text: str) -> Note:
    """The Why pane's headline."""
    return Note("title", text)


def folded(
    key: str, words: str, rows: list[Row], unfolded: frozenset[str], columns: int
) -> Iterator[Row]:
    """Rows behind one that Enter unfolds; a filter looks among them all the same."""
    if not rows:
        return
    is_open = key in unfolded
    verb = "hides" if is_open else "shows"
    why = (title(words), *said(f"Enter {verb} them. A filter looks among them too."))
    cells = ("▾" if is_open else "▸", words, *[""] * (columns - 2))
    yield Row(key, cells, "chosen", why, "fold")
    for row in rows:
        yield row if is_open else msgspec.structs.replace(row, folded=True)


def task_why(text: str, words: str, is_done: bool) -> tuple[Note, ...]:
    """What is said of a step that only a person can do."""
    tick = Note("do", "Enter: not done yet" if is_done else "Enter: it is done")
    return (title(text), *said(words), tick)


def said(*texts: str) -> tuple[Note, ...]:
    """Plain paragraphs; empty ones are left out."""
    return tuple(Note("text", text) for text in texts if text)
