"""Checking a catalogue file: every fault with its line, so that its writer finds it."""

import re
import tomllib
from collections.abc import Iterator
from typing import Any

import msgspec

from brave_bridge.core.releases.catalogue import ReleaseLine, leg_of

_AT_LINE = re.compile(r"\(at line (\d+), column \d+\)")
_DAY = re.compile(r"=\s*(\d{4}-\d\d-\d\d)\s*(?:#.*)?$")
_AT_FIELD = re.compile(r" - at `\$?([^`]*)`")
_STEP = re.compile(r"\.?([A-Za-z_][\w-]*)|\[(\d+|\.\.\.)\]")


class CatalogueFault(msgspec.Struct, frozen=True):
    """What is wrong in a line of a file, from 1 (0: the whole file).

    ``fatal``: the file cannot be used; else the rest of it can.
    """

    line: int
    why: str
    fatal: bool = True


def check_line(text: str) -> tuple[ReleaseLine | None, list[CatalogueFault]]:
    """The release line of a file, None where it cannot be used, and all that is wrong in it."""
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        return None, [_of_notation(text, str(error))]
    try:
        line = msgspec.toml.decode(text, type=ReleaseLine)
    except (msgspec.DecodeError, ValueError) as error:
        return None, [_of_field(text, str(error))]
    faults = list(_legs_to_nowhere(text, line))
    unknown = list(_unknown(text, raw, msgspec.to_builtins(line), ""))
    return (None if faults else line), faults + unknown


def _of_notation(text: str, words: str) -> CatalogueFault:
    lines = text.splitlines()
    found = _AT_LINE.search(words)
    number = int(found[1]) if found else len(lines)
    day = _DAY.search(lines[number - 1]) if number else None
    if day:
        return CatalogueFault(number, f"{day[1]} is no day")
    return CatalogueFault(number, _AT_LINE.sub("", words).strip())


def _of_field(text: str, words: str) -> CatalogueFault:
    found = _AT_FIELD.search(words)
    place = found[1] if found else ""
    named = f"{place.lstrip('.')}: " if place else ""
    return CatalogueFault(_line_of(text, place), named + _AT_FIELD.sub("", words))


def _legs_to_nowhere(text: str, line: ReleaseLine) -> Iterator[CatalogueFault]:
    for number, rule in enumerate(line.legs):
        try:
            leg_of(line, rule)
        except ValueError as error:
            yield CatalogueFault(_line_of(text, f".legs[{number}]"), str(error))


def _unknown(text: str, raw: Any, known: Any, path: str) -> Iterator[CatalogueFault]:
    """The fields that nothing reads: a word that is written wrong looks like one."""
    if isinstance(raw, dict) and isinstance(known, dict):
        for name, value in raw.items():
            place = f"{path}.{name}"
            if name in known:
                yield from _unknown(text, value, known[name], place)
            else:
                why = f"{place.lstrip('.')}: there is no such field, it is not read"
                yield CatalogueFault(_line_of(text, place), why, fatal=False)
    elif isinstance(raw, list) and isinstance(known, list | tuple):
        for number, (value, read) in enumerate(zip(raw, known, strict=False)):
            yield from _unknown(text, value, read, f"{path}[{number}]")


def _line_of(text: str, path: str) -> int:
    """The line of a field (``.legs[1].start``), or of the table that it is in; 0: not found."""
    lines = text.splitlines()
    at = found = 0
    name = ""
    for step in _STEP.finditer(path):
        if step[1]:
            name = step[1]
            keys = re.compile(rf'^\s*"?{re.escape(name)}"?\s*=')
            found = next((n for n in range(at, len(lines)) if keys.match(lines[n])), -1) + 1
        elif step[2].isdigit():
            header = re.compile(rf"^\s*\[\[\s*(?:[\w-]+\.)*{re.escape(name)}\s*\]\]")
            heads = [n for n in range(at, len(lines)) if header.match(lines[n])]
            if int(step[2]) < len(heads):
                at = heads[int(step[2])]
                found = at + 1
    return found or (at + 1 if at else 0)
