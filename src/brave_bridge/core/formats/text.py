"""Making foreign text safe to show: nothing that steers a terminal passes through."""

import re
from collections.abc import Callable, Sequence
from datetime import UTC, datetime

_CONTROL = re.compile(
    r"[\x00-\x08\x0b-\x1f\x7f-\x9f"  # what steers a terminal, and no XML may hold
    r"\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f"  # what turns text round, or is not seen
    r"\ud800-\udfff\ufeff\ufff9-\ufffb\ufffe\uffff\U000e0000-\U000e007f]"  # what is no text
)
_ESCAPE_SEQUENCE = re.compile(
    r"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)|[@-Z\\-_])"
)


def plain(text: str, limit: int | None = None) -> str:
    """The text without escape sequences and control characters, cut at ``limit`` characters.

    A carriage return is how programs redraw a progress line: only what stands after
    the last one of a line is kept. Tabs and newlines stay.
    """
    if not _CONTROL.search(text):
        return text if limit is None else text[:limit]
    text = _ESCAPE_SEQUENCE.sub("", text.replace("\r\n", "\n"))
    lines = [line.rstrip("\r").rpartition("\r")[2] for line in text.split("\n")]
    cleaned = _CONTROL.sub("\N{REPLACEMENT CHARACTER}", "\n".join(lines))
    return cleaned if limit is None else cleaned[:limit]


def drawable(
    text: str, in_place: Callable[[str], str] = lambda odd: "\N{REPLACEMENT CHARACTER}"
) -> str:
    """The text as a pen takes it, whatever came this far: ``in_place`` of what none can draw."""
    if text.isascii() and text.isprintable():
        return text
    return _CONTROL.sub(lambda found: in_place(found[0]), text)


def decoded(content: bytes, limit: int | None = None) -> str:
    """Bytes as text: UTF-8, undecodable bytes shown as replacement characters."""
    return content[:limit].decode("utf-8", "replace")


def one_line(text: str, limit: int = 200) -> str:
    """Foreign text for one line of a screen."""
    return " ".join(plain(text).split())[:limit]


def byte_size(count: float) -> str:
    """A size in one style: ``812 B``, ``4.1 kB``, ``17.5 MB``, ``1.24 GB`` (powers of 1000)."""
    sign, count = ("-", -count) if count < 0 else ("", count)
    for unit in ("B", "kB", "MB"):
        if count < 1000:
            return f"{sign}{count:.0f} B" if unit == "B" else f"{sign}{count:.1f} {unit}"
        count /= 1000
    return f"{sign}{count:.2f} GB"


def iso_time(seconds: int) -> str:
    """A time since the epoch as ISO 8601 in UTC; empty for 0 and what no calendar has."""
    try:
        return datetime.fromtimestamp(seconds, UTC).isoformat() if seconds > 0 else ""
    except (OverflowError, ValueError, OSError):
        return ""


def told_by_system(error: OSError) -> str:
    """What the operating system said, with the file that it is about, where it names one."""
    return f"{error.filename or ''}: {error.strerror or error}".removeprefix(": ")


def counted(count: int, noun: str, plural: str | None = None) -> str:
    """``1 package``, ``5 packages``, ``no packages``."""
    words = noun if count == 1 else (plural or noun + "s")
    return f"{count or 'no'} {words}"


def shortened(texts: Sequence[str], most: int) -> list[str]:
    """The first ``most`` of them and, where there are others, ``and 5 more``."""
    more = [f"and {len(texts) - most} more"] if len(texts) > most else []
    return [*texts[:most], *more]


def whole_number(text: str) -> int:
    """A number of digits alone, as indices write sizes; 0 where it is none or absurd."""
    return int(text) if text.isascii() and text.isdigit() and len(text) < 19 else 0
