"""Package sources that wait: commented out with the reason, told, and taken up again.

A one-line source (sources.list(5)) waits behind ``# ``. A stanza waits as a whole: every
line of it gets ``# `` before it, comments too, so that it comes back as it was.
"""

import re
from collections.abc import Callable, Iterable, Mapping

import msgspec

from brave_bridge.core.formats.apt_sources import (
    Renaming,
    SourceEntry,
    SourceFile,
    entries,
    renamed,
)

_MARK = "# "
_WAITS = re.compile(
    r"^# (?P<body>.*)  # paused by Brave Bridge before (?P<before>.{1,80}): not there yet$"
)


class PausedSource(msgspec.Struct, frozen=True):
    """A source that waits, as it was, and the release before which it was paused."""

    entry: SourceEntry
    before: str


def waiting_note(end: str) -> str:
    """What is written behind a source that waits until it has the release ``end``."""
    return f"paused by Brave Bridge before {end}: not there yet"


def commented_out(file: SourceFile, only: Callable[[SourceEntry], bool], note: str) -> SourceFile:
    """The file with the entries that ``only`` admits commented out, ``note`` behind the first line.

    Every line stays where it is, so that line numbers still name the same entries.
    """
    lines = file.text.splitlines(keepends=True)
    for first in [entry.line for entry in entries(file) if only(entry)]:
        for number in range(first - 1, _end_of(file, lines, first)):
            lines[number] = _MARK + lines[number]
        body = lines[first - 1].rstrip("\r\n")
        lines[first - 1] = f"{body}  # {note}" + lines[first - 1][len(body) :]
    return SourceFile(file.path, "".join(lines))


def _end_of(file: SourceFile, lines: list[str], first: int) -> int:
    """The last line (from 1) of what begins at line ``first``: a stanza goes to an empty line."""
    if not file.is_deb822:
        return first
    return next((n for n in range(first, len(lines)) if not lines[n].strip()), len(lines))


def paused_in(file: SourceFile) -> list[PausedSource]:
    """The sources of a file that wait; what was edited so that it is none any more is passed by."""
    lines = enumerate(file.text.splitlines(), start=1)
    before = {number: match["before"] for number, line in lines if (match := _WAITS.match(line))}
    there = entries(_uncommented(file, before)) if before else []
    return [PausedSource(entry, before[entry.line]) for entry in there if entry.line in before]


def paused_among(files: Iterable[SourceFile]) -> list[PausedSource]:
    """The sources of all these files that wait."""
    return [one for file in files for one in paused_in(file)]


def taken_up(file: SourceFile, line: int, suites: Mapping[str, str]) -> SourceFile:
    """The file with the source that waits at a line (from 1) active again, its suites renamed."""
    renaming = Renaming(suites=lambda word: suites.get(word, word))
    return renamed(_uncommented(file, (line,)), renaming, lambda entry: entry.line == line)


def _uncommented(file: SourceFile, firsts: Iterable[int]) -> SourceFile:
    """The file with what begins at these lines (from 1) active again."""
    lines = file.text.splitlines(keepends=True)
    for first in firsts:
        body = lines[first - 1].rstrip("\r\n")
        match = _WAITS.match(body)
        if match is None:
            continue
        lines[first - 1] = _MARK + match["body"] + lines[first - 1][len(body) :]
        for number in range(first - 1, _end_of(file, lines, first)):
            lines[number] = lines[number].removeprefix(_MARK)
    return SourceFile(file.path, "".join(lines))
