"""Does a known issue concern a machine? By what the machine itself shows, sign by sign."""

import re
from collections.abc import Collection, Iterable, Iterator
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.releases.conditions import KnownIssue, SettingSign
from brave_bridge.core.survey.facts import Facts, LookedAt

HERE, ELSEWHERE, UNKNOWN = "here", "elsewhere", "not known"
_SHOWN = 4
_WILD = re.compile(r"[*?\[]")
_LONGEST_LINE = 400
"""Characters of a line that an expression is held against: files are hostile input."""


class Trouble(msgspec.Struct, frozen=True):
    """An issue held against a machine: HERE, ELSEWHERE or UNKNOWN, and what was seen for that."""

    issue: KnownIssue
    verdict: str
    seen: str


class _Sign(msgspec.Struct, frozen=True):
    """One sign: what of it was found, or why that is not known."""

    found: tuple[str, ...]
    unread: str = ""


def judged(issue: KnownIssue, facts: Facts) -> Trouble:
    """Whether an issue concerns a machine; every sign that it has must be there."""
    return _judged(issue, facts, _names(facts))


def _names(facts: Facts) -> frozenset[str]:
    return frozenset(package.name for package in facts.packages if package.is_present)


def _judged(issue: KnownIssue, facts: Facts, names: frozenset[str]) -> Trouble:
    seen: list[str] = []
    unread = ""
    for sign in _signs(issue, facts, names):
        if not sign.found and not sign.unread:
            return Trouble(issue, ELSEWHERE, "")
        seen += sign.found[:_SHOWN]
        unread = unread or ("" if sign.found else sign.unread)
    if unread:
        return Trouble(issue, UNKNOWN, unread)
    return Trouble(issue, HERE, ", ".join(seen) if seen else "every machine")


def concerning(issues: Iterable[KnownIssue], facts: Facts) -> tuple[Trouble, ...]:
    """Those that concern a machine, and those of which that cannot be told."""
    names = _names(facts)
    found = (_judged(issue, facts, names) for issue in issues)
    return tuple(trouble for trouble in found if trouble.verdict != ELSEWHERE)


def paths_asked_for(issues: Iterable[KnownIssue]) -> tuple[str, ...]:
    """The patterns of config files whose lines the issues ask for."""
    return tuple(dict.fromkeys(sign.path for issue in issues for sign in issue.settings))


def files_asked_for(issues: Iterable[KnownIssue]) -> tuple[str, ...]:
    """The patterns of paths of which the issues ask whether they are there."""
    return tuple(dict.fromkeys(pattern for issue in issues for pattern in issue.files))


def _signs(issue: KnownIssue, facts: Facts, names: frozenset[str]) -> Iterator[_Sign]:
    """The signs that an issue has, those first that need no file to be read."""
    if issue.packages:
        yield _Sign(_matching(names, issue.packages), facts.why_not("packages"))
    if issue.file_systems:
        kinds = {mount.type: mount.path for mount in facts.expected_mounts}
        kinds |= {mount.type: mount.path for mount in facts.mounts}
        found = _matching(kinds, issue.file_systems)
        unread = "" if kinds else facts.why_not("mounts")
        yield _Sign(tuple(f"{kind} at {kinds[kind]}" for kind in found), unread)
    if issue.units:
        units = {unit.name for unit in facts.activity.units}
        yield _Sign(_matching(units, issue.units), facts.why_not("services"))
    if issue.devices:
        devices = {device.modalias for device in facts.hardware.devices}
        yield _Sign(_matching(devices, issue.devices), facts.why_not("hardware"))
    if issue.boots_with:
        line = facts.boot.command_line or facts.boot.settings
        met = re.search(issue.boots_with, line[: _LONGEST_LINE * 10])
        unread = "" if line else facts.why_not("boot")
        yield _Sign((f"command line: {met.group()}",) if met else (), unread)
    if issue.files:
        yield _files(issue.files, facts.looked_at)
    if issue.settings:
        yield _settings(issue.settings, facts.looked_at)


def _files(patterns: tuple[str, ...], looked: LookedAt | None) -> _Sign:
    if looked is None:
        return _Sign((), "the files were not looked for")
    return _Sign(_matching(looked.there, patterns), _fault(looked, patterns))


def _settings(signs: tuple[SettingSign, ...], looked: LookedAt | None) -> _Sign:
    if looked is None:
        return _Sign((), "the settings were not read")
    found = tuple(
        f"{path}: {line.strip()[:60]}"
        for sign in signs
        for path, lines in looked.lines.items()
        if fnmatchcase(path, sign.path)
        for line in lines
        if re.search(sign.has, line[:_LONGEST_LINE])
    )
    return _Sign(found, _fault(looked, [sign.path for sign in signs]))


def _fault(looked: LookedAt, patterns: Collection[str]) -> str:
    """Why one of the paths could not be looked at; empty where all could."""
    return next(
        (
            f"{path}: {why}"
            for path, why in looked.faults.items()
            if any(fnmatchcase(path, pattern) for pattern in patterns)
        ),
        "",
    )


def _matching(names: Collection[str], patterns: tuple[str, ...]) -> tuple[str, ...]:
    """The names that fit a pattern; most patterns are names, which need no search."""
    found = {pattern for pattern in patterns if pattern in names}
    for pattern in (pattern for pattern in patterns if _WILD.search(pattern)):
        found.update(name for name in names if fnmatchcase(name, pattern))
    return tuple(sorted(found))
