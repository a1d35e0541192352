"""Stanzas of ``Field: value`` lines (deb822(5)), as package databases and indices use them."""

import re
from collections.abc import Iterator

MAX_STANZA = 4 * 1024 * 1024
"""Characters a single stanza may have; a longer one is damage or malice."""

_BLANK_LINES = re.compile(r"\n(?:[ \t]*\n)+")


class FormatError(ValueError):
    """A text is not of the format it should be; the message says where and what was seen."""


def stanzas(text: str, *, where: str = "") -> Iterator[dict[str, str]]:
    """The stanzas of a text, field names as written, continuation lines joined by newlines.

    Comment lines are passed over. A line that is neither a field nor a continuation
    raises FormatError naming ``where`` and the line's number in its stanza.
    """
    for block in _BLANK_LINES.split(text):
        if len(block) > MAX_STANZA:
            raise FormatError(f"{where}: a stanza of {len(block)} characters")
        if block.strip():
            fields = _fields(block, where)
            if fields:
                yield fields


def _fields(block: str, where: str) -> dict[str, str]:
    fields: dict[str, str] = {}
    name = ""
    for number, line in enumerate(block.strip("\n").split("\n"), start=1):
        if line.startswith("#"):
            continue
        if line[:1] in (" ", "\t"):
            if not name:
                raise FormatError(f"{where}: line {number} of a stanza continues nothing")
            fields[name] += "\n" + line[1:]
            continue
        name, colon, value = line.partition(":")
        if not colon or not name or " " in name:
            raise FormatError(f"{where}: {line[:60]!r} is not a field")
        fields[name] = value.strip()
    return fields


def stanza_text(fields: dict[str, str]) -> str:
    """A stanza as text, the inverse of ``stanzas`` for one; ends with a newline."""
    lines = []
    for name, value in fields.items():
        first, *more = value.split("\n")
        lines.append(f"{name}: {first}".rstrip())
        lines.extend(" " + line for line in more)
    return "\n".join(lines) + "\n"
