"""Checking a catalogue file: every fault with its line, so that its writer finds it."""

import re
import tomllib
from collections.abc import Iterator
from typing import Any

import msgspec

from brave_bridge.core.formats.decoding import decode_toml
from brave_bridge.core.releases.catalogue import LegRule, ReleaseLine, leg_of
from brave_bridge.core.releases.conditions import PHASE_WORDS
from brave_bridge.core.releases.standing import SCALES

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
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        return None, [_of_notation(text, str(error))]
    try:
        line = decode_toml(text, ReleaseLine)
    except (msgspec.DecodeError, ValueError) as error:
        return None, [_of_field(text, str(error))]
    checks = (_legs_to_nowhere, _faulty_scales, _faulty_phases, _faulty_product)
    faults = [fault for check in checks for fault in check(text, line)]
    unknown = list(_unknown(text, raw, msgspec.to_builtins(line), ""))
    return (None if faults else line.as_scale), faults + unknown


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
        yield from _faults_of_leg(line, rule, _line_of(text, f".legs[{number}]"))


def _faults_of_leg(line: ReleaseLine, rule: LegRule, at: int) -> Iterator[CatalogueFault]:
    """An end that is none, and expressions of its issues that nothing can be held against."""
    try:
        leg_of(line, rule)
    except ValueError as error:
        yield CatalogueFault(at, str(error))
    for issue in rule.issues:
        for expression in (issue.boots_with, *(sign.has for sign in issue.settings)):
            try:
                re.compile(expression)
            except re.error as error:
                why = f"issue {issue.id}: {expression!r} is no regular expression: {error}"
                yield CatalogueFault(at, why)


def _faulty_phases(text: str, line: ReleaseLine) -> Iterator[CatalogueFault]:
    """Phases of an unknown kind, or out of order."""
    for number, release in enumerate(line.releases):
        at = _line_of(text, f".releases[{number}]")
        ends = [phase.ends for phase in release.phases]
        if unknown := [p.kind for p in release.phases if p.kind not in PHASE_WORDS]:
            known = ", ".join(PHASE_WORDS)
            yield CatalogueFault(at, f"{unknown[0]!r} is no phase of support; there are {known}")
        elif ends != sorted(ends):
            yield CatalogueFault(at, f"the phases of {release.title} are not in their order")


def _faulty_scales(text: str, line: ReleaseLine) -> Iterator[CatalogueFault]:
    """Scales of an unknown kind, and their legs to nowhere."""
    for number, scale in enumerate(line.scales):
        at = _line_of(text, f".scales[{number}]")
        if scale.kind not in SCALES[1:]:
            known = ", ".join(SCALES[1:])
            yield CatalogueFault(at, f"{scale.kind!r} is no scale; there are {known}")
            continue
        shown = line.on(scale.kind)
        for rule in shown.legs:
            yield from _faults_of_leg(shown, rule, at)


def _faulty_product(text: str, line: ReleaseLine) -> Iterator[CatalogueFault]:
    """What belongs to products alone on a line that is none, and a product that nothing shows."""
    if line.product is not None and not line.product.packages:
        yield CatalogueFault(_line_of(text, ".product"), "product: no package shows its release")
    for number, rule in enumerate(line.legs):
        if rule.with_base and line.product is None:
            at = _line_of(text, f".legs[{number}]")
            yield CatalogueFault(at, "with_base: this is no product that has a base")


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
