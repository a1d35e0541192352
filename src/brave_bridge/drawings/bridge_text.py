"""The bridge drawn with characters, from the same geometry as its SVG and PDF."""

import msgspec

from brave_bridge.drawings.bridge import Bridge

_DECK = {"built": "═", "planned": "┈", "beyond": "┄", "broken": "╳"}


class Cell(msgspec.Struct, frozen=True):
    """A character and what it stands for: ``built``, ``planned``, ``place``, ``pier``, ``word``."""

    character: str
    kind: str


_BLANK = Cell(" ", "word")


def _column(x: float, width: int) -> int:
    return min(max(round(x * (width - 1)), 0), width - 1)


def _deck(drawn: Bridge, width: int, *, planned_marks: bool = True) -> list[Cell]:
    row = [_BLANK] * width
    for deck in drawn.decks:
        for at in range(_column(deck.start, width), _column(deck.end, width) + 1):
            row[at] = Cell(_DECK[deck.kind], deck.kind)
    for mark in drawn.marks:
        if mark.passed:
            row[_column(mark.x, width)] = Cell("●", "built")
        elif planned_marks:
            row[_column(mark.x, width)] = Cell("┬", "planned")
    for pier in drawn.piers:
        row[_column(pier.x, width)] = Cell("╦", "built" if pier.reached else "planned")
    row[_column(drawn.place, width)] = Cell("◉", "place")
    return row


def one_line(drawn: Bridge, width: int) -> str:
    """The deck alone, as one line of text."""
    return "".join(cell.character for cell in _deck(drawn, width, planned_marks=False))


def three_lines(drawn: Bridge, width: int) -> tuple[list[Cell], ...]:
    """Titles, deck, and what stands under it: piers and the names of the checkpoints."""
    titles, below = [_BLANK] * width, [_BLANK] * width
    for mark in drawn.marks:
        _write(below, _column(mark.x, width), mark.title, "built" if mark.passed else "planned")
    for pier in drawn.piers:
        at = _column(pier.x, width)
        _write(titles, at, pier.title, "word" if pier.reached else "planned")
        below[at] = Cell("║", "built" if pier.reached else "planned")
    return titles, _deck(drawn, width), below


def _write(row: list[Cell], centre: int, text: str, kind: str) -> None:
    """Write a text around a column, or beside that, unless it would touch another."""
    middle = min(max(centre - len(text) // 2, 0), max(len(row) - len(text), 0))
    for start in (middle, middle + 1, middle - 1):
        if _is_free(row, start, len(text)):
            for at, character in enumerate(text[: len(row) - start], start=start):
                row[at] = Cell(character, kind)
            return


def _is_free(row: list[Cell], start: int, length: int) -> bool:
    around = row[max(start - 1, 0) : start + length + 1]
    return start >= 0 and all(cell.character == " " for cell in around)
