"""Files of ``key value`` lines, read and changed so that every other character stays.

Boot loader entries, systemd-boot's loader.conf and extlinux menus are written so.
"""

import re
from collections.abc import Iterator

import msgspec

_LINE = re.compile(r"^([ \t]*)([^\s#]\S*)([ \t]*)(.*?)([ \t\r]*)$", re.DOTALL)


class KeyedLine(msgspec.Struct, frozen=True):
    """A line that says something. ``number`` counts the file's lines from 0."""

    number: int
    key: str
    value: str


def keyed_lines(text: str) -> Iterator[KeyedLine]:
    """The lines that are neither empty nor comments."""
    for number, line in enumerate(text.split("\n")):
        if match := _LINE.match(line):
            yield KeyedLine(number, match[2], match[4])


def with_line_value(text: str, number: int, value: str) -> str:
    """The text with another value on a line that says something; its key and spaces stay."""
    lines = text.split("\n")
    match = _LINE.match(lines[number])
    if match is None:
        raise ValueError(f"line {number + 1} says nothing")
    _one_line(value)
    gap = match[3] or " "
    lines[number] = f"{match[1]}{match[2]}{gap}{value}{match[5]}"
    return "\n".join(lines)


def with_key_value(text: str, key: str, value: str) -> str:
    """The text with another value of a key: on its last line, else on a new one at the end."""
    found = [line for line in keyed_lines(text) if line.key == key]
    if found:
        return with_line_value(text, found[-1].number, value)
    return with_line_at_end(text, f"{key} {_one_line(value)}")


def with_line_at_end(text: str, line: str) -> str:
    """The text with one more line."""
    gap = "" if not text or text.endswith("\n") else "\n"
    return f"{text}{gap}{line}\n"


def _one_line(value: str) -> str:
    if "\n" in value or "\r" in value or value != value.strip(" \t"):
        raise ValueError(f"no value of one line: {value!r}")
    return value
