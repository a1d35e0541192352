"""The ledger: a page's table, drawn line by line, so that length costs nothing."""

from __future__ import annotations

from textwrap import wrap
from typing import TYPE_CHECKING

from rich.cells import cell_len, set_cell_size
from rich.segment import Segment
from rich.style import Style
from textual import events
from textual.binding import Binding
from textual.geometry import Region, Size
from textual.message import Message
from textual.reactive import reactive
from textual.scroll_view import ScrollView
from textual.strip import Strip

from brave_bridge.core.formats.text import plain

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Column, Note, Page, Row


_HEAD = 1
_LEAST_WIDTH = 5
_TONES = ("plain", "quiet", "heading", "clear", "caution", "stop", "chosen")


class Ledger(ScrollView, can_focus=True):
    """Rows under fixed column titles, with a cursor that skips headings."""

    BINDINGS = [
        Binding("up", "move(-1)", show=False),
        Binding("down", "move(1)", show=False),
        Binding("pageup", "page(-1)", show=False),
        Binding("pagedown", "page(1)", show=False),
        Binding("home", "ends(-1)", show=False),
        Binding("end", "ends(1)", show=False),
        Binding("enter", "choose", show=False),
    ]
    COMPONENT_CLASSES = {"ledger--head", "ledger--cursor", *(f"ledger--{t}" for t in _TONES)}
    DEFAULT_CSS = """
    Ledger {
        background: $background; overflow-x: hidden; scrollbar-size-vertical: 1;
        scrollbar-color: $panel; scrollbar-background: $background;
        scrollbar-color-hover: $secondary; scrollbar-background-hover: $background;
        scrollbar-color-active: $primary; scrollbar-background-active: $background;
    }
    Ledger .ledger--head { color: $quiet; text-style: underline; }
    Ledger .ledger--plain { color: $foreground; }
    Ledger .ledger--quiet { color: $quiet; }
    Ledger .ledger--heading { color: $primary; text-style: bold; }
    Ledger .ledger--clear { color: $success; }
    Ledger .ledger--caution { color: $warning; }
    Ledger .ledger--stop { color: $error; }
    Ledger .ledger--chosen { color: $foreground; text-style: bold; }
    Ledger .ledger--cursor { background: $cursor; }
    """

    cursor: reactive[int] = reactive(0)

    class Pointed(Message):
        """The cursor is on another row (None where there is none)."""

        def __init__(self, row: Row | None) -> None:
            super().__init__()
            self.row = row

    class Chosen(Message):
        """Enter or a second click on a row."""

        def __init__(self, row: Row) -> None:
            super().__init__()
            self.row = row

    def __init__(self, **options) -> None:
        super().__init__(**options)
        self._columns: tuple[Column, ...] = ()
        self._all: tuple[Row, ...] = ()
        self._rows: tuple[Row, ...] = ()
        self._filter = ""
        self._searched: list[str] = []
        self._empty = ""
        self._about: tuple[Note, ...] = ()
        self._start = ""
        self._widths: tuple[int, ...] = ()

    @property
    def pointed(self) -> Row | None:
        """The row under the cursor."""
        return self._rows[self.cursor] if 0 <= self.cursor < len(self._rows) else None

    @property
    def explanation(self) -> tuple[Note, ...]:
        """What the Why pane shows: of the row under the cursor, or of the whole page."""
        return self.pointed.why if self.pointed is not None else self._about

    def show(self, page: Page) -> None:
        """Show another page, the cursor staying on the row of the same key."""
        known = (self._empty, self._about)
        if (
            self._all is page.rows
            and self._columns is page.columns
            and known == (page.empty, page.about)
        ):
            return
        # On the first row the cursor stays with what is newest, until the person moves it.
        follows = page.newest_first and self.cursor == self._skip(0, 1)
        self._columns, self._all, self._empty = page.columns, page.rows, page.empty
        self._about, self._start = page.about, page.start
        self._searched = []
        self._apply()
        if follows:
            self.cursor = self._skip(0, 1)

    def point_at(self, key: str) -> None:
        """Put the cursor on a row; it stays where there is none of that key."""
        self.cursor = next((n for n, row in enumerate(self._rows) if row.key == key), self.cursor)

    def filter(self, text: str) -> None:
        """Show only rows that have the text in a cell; all for an empty one."""
        self._filter = text.casefold().strip()
        self._apply()

    def _apply(self) -> None:
        before = self.pointed.key if self.pointed else self._start
        if self._filter:
            wanted = self._filter
            # Made when it is first searched, and good for every letter after that.
            self._searched = self._searched or [_searched_in(row) for row in self._all]
            texts = zip(self._all, self._searched, strict=True)
            self._rows = tuple(row for row, text in texts if wanted in text)
        else:
            self._rows = tuple(row for row in self._all if not row.folded)
        at = next((n for n, row in enumerate(self._rows) if row.key == before), None)
        self.cursor = self._skip(0, 1) if at is None else at
        self.virtual_size = Size(max(self.size.width, 1), len(self._rows) + _HEAD)
        self._measure()
        self.refresh()
        self.post_message(self.Pointed(self.pointed))

    def _measure(self) -> None:
        width = max(self.size.width - 1, 10)
        gaps = max(len(self._columns) - 1, 0)
        fixed = sum(column.width for column in self._columns)
        flexible = sum(1 for column in self._columns if not column.width)
        room = width - gaps - fixed
        least = 18 * flexible
        if room >= least:
            share = room // flexible if flexible else 0
            self._widths = tuple(column.width or share for column in self._columns)
            return
        # Too narrow: the wide fixed columns give way, marks and numbers keep their room.
        scale = max(width - gaps - least, 10) / max(fixed, 1)
        widths = [_narrowed(column, scale) for column in self._columns]
        # What is still too much is taken from the widest, so that no column falls off the edge.
        while sum(widths) > width - gaps and (widest := max(widths, default=0)) > _LEAST_WIDTH:
            widths[len(widths) - 1 - widths[::-1].index(widest)] -= 1
        self._widths = tuple(widths)

    def on_resize(self, event: events.Resize) -> None:
        self.virtual_size = Size(max(event.size.width, 1), len(self._rows) + _HEAD)
        self._measure()

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        if y == 0:
            cells = tuple(column.title for column in self._columns)
            return self._strip(cells, self.get_component_rich_style("ledger--head"), width)
        index = y - _HEAD + self.scroll_offset.y
        if not self._rows and y >= 2:
            words = "Nothing here has that in it." if self._filter else self._empty
            lines = wrap(words, max(width - 4, 20))[y - 2 : y - 1]
            style = self.get_component_rich_style("ledger--quiet")
            line = Strip([Segment("  " + "".join(lines), style)])
            return line.adjust_cell_length(width, self.rich_style)
        if not 0 <= index < len(self._rows):
            return Strip.blank(width, self.rich_style)
        row = self._rows[index]
        style = self.get_component_rich_style(f"ledger--{row.tone}")
        if index == self.cursor:
            style += Style(bgcolor=self.get_component_rich_style("ledger--cursor").bgcolor)
        return self._strip(row.cells, style, width)

    def _strip(self, cells: tuple[str, ...], style: Style, width: int) -> Strip:
        # Whatever a page has from a machine: a screen gets no control codes.
        cells = tuple(plain(cell).replace("\n", " ") for cell in cells)
        pieces = []
        for column, size, cell in zip(self._columns, self._widths, cells, strict=False):
            pieces.append(_fitted(cell, size, column.right))
        line = " ".join(pieces)
        if cells and len(cells) > 1 and not any(cells[2:]) and cell_len(cells[1]) > 20:
            mark = self._widths[0]
            rest = _fitted(cells[1], max(width - mark - 2, 1), False)
            line = f"{_fitted(cells[0], mark, False)} {rest}"
        return Strip([Segment(line, style)]).adjust_cell_length(width, style)

    def _skip(self, start: int, step: int) -> int:
        """The nearest row from ``start`` that is no heading."""
        at = start
        while 0 <= at < len(self._rows) and self._rows[at].tone == "heading":
            at += step
        return at if 0 <= at < len(self._rows) else start

    def action_move(self, step: int) -> None:
        target = self._skip(self.cursor + step, step)
        if 0 <= target < len(self._rows) and self._rows[target].tone != "heading":
            self.cursor = target
        elif step < 0:
            self.scroll_home(animate=False)

    def action_page(self, pages: int) -> None:
        step = pages * max(self.size.height - _HEAD - 1, 1)
        target = min(max(self.cursor + step, 0), max(len(self._rows) - 1, 0))
        self.cursor = self._skip(target, 1 if pages > 0 else -1)

    def action_ends(self, end: int) -> None:
        last = max(len(self._rows) - 1, 0)
        self.cursor = self._skip(0, 1) if end < 0 else self._skip(last, -1)

    def action_choose(self) -> None:
        if self.pointed is not None and self.pointed.action:
            self.post_message(self.Chosen(self.pointed))

    def watch_cursor(self, old: int, new: int) -> None:
        if old == new:
            return
        self.refresh()
        height = max(self.size.height - _HEAD, 1)
        if not self.scroll_offset.y <= new < self.scroll_offset.y + height:
            self.scroll_to_region(Region(0, new, 1, 1 + _HEAD), animate=False, force=True)
        self.post_message(self.Pointed(self.pointed))

    def on_click(self, event: events.Click) -> None:
        index = event.y - _HEAD + self.scroll_offset.y
        if event.y < _HEAD or not 0 <= index < len(self._rows):
            return
        if index == self.cursor:
            self.action_choose()
        elif self._rows[index].tone != "heading":
            self.cursor = index


def _searched_in(row: Row) -> str:
    """What a filter looks in: all cells, each by itself; nothing of a heading."""
    return "" if row.tone == "heading" else "\n".join(row.cells).casefold()


def _narrowed(column: Column, scale: float) -> int:
    if not column.width:
        return 18
    if column.firm or column.width <= 9:
        return column.width
    return max(int(column.width * scale), 6)


def _fitted(text: str, width: int, right: bool) -> str:
    if text.isascii():
        if len(text) > width:
            return text[: max(width - 1, 0)] + "…"
        return text.rjust(width) if right else text.ljust(width)
    size = cell_len(text)
    if size > width:
        return set_cell_size(text, max(width - 1, 0)) + "…"
    return " " * (width - size) + text if right else text + " " * (width - size)
