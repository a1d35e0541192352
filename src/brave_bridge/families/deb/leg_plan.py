"""Putting a leg's plan together: what becomes of the sources, and what follows for packages."""

from collections.abc import Iterable, Iterator, Mapping

import msgspec

from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile, entries
from brave_bridge.core.packages.changes import (
    ConfigQuestion,
    LegPlan,
    PackageChange,
    PackageChanges,
    SourceOutcome,
)
from brave_bridge.core.packages.levels import PersonsWishes
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.versions.deb import upstream_major

SourceKey = tuple[str, int]
"""A source's file and line: both stay when sources are turned to another release."""


def source_key(entry: SourceEntry) -> SourceKey:
    """What names a source before and after a leg."""
    return entry.path, entry.line


def all_entries(files: Iterable[SourceFile]) -> list[SourceEntry]:
    """The active sources of all files."""
    return [entry for file in files for entry in entries(file)]


def sources_only(
    facts: Facts, leg: Leg, before: tuple[SourceFile, ...], after: tuple[SourceFile, ...],
    reasons: Mapping[SourceKey, str], signers: Mapping[tuple[str, str], tuple[str, ...]],
) -> LegPlan:  # fmt: skip
    """The plan as far as the sources go; ``reasons`` say why some are paused.

    ``signers`` are those of each (URI, suite).
    """
    return LegPlan(
        leg=leg,
        sources=tuple(_source_outcomes(leg, before, after, reasons, signers)),
        source_files=after,
        sources_before=before,
        made_at=facts.taken_at,
    )


def _source_outcomes(
    leg: Leg, files: tuple[SourceFile, ...], turned: tuple[SourceFile, ...],
    reasons: Mapping[SourceKey, str], signers: Mapping[tuple[str, str], tuple[str, ...]],
) -> Iterator[SourceOutcome]:  # fmt: skip
    after = {source_key(entry): entry for entry in all_entries(turned)}
    for entry in all_entries(files):
        now = after.get(source_key(entry))
        for number, suite in enumerate(entry.suites):
            if now is None:
                end = ("", "paused", reasons.get(source_key(entry), ""))
            elif now.suites[number] == suite:
                end = (suite, "unchanged", "it does not name the release")
            else:
                end = (now.suites[number], "renamed", f"has {leg.end.title}")
            signed_by = signers.get((entry.uris[0], end[0]), ())
            yield SourceOutcome(
                entry.path, entry.line, entry.uris[0], suite, *end, signers=signed_by
            )


def with_packages(
    facts: Facts, plan: LegPlan, changes: PackageChanges, wishes: PersonsWishes
) -> LegPlan:
    """The plan with what happens to packages, and the questions that follow from it."""
    upgraded = tuple(_weighed(facts, change) for change in changes.upgraded)
    changes = msgspec.structs.replace(changes, upgraded=upgraded)
    changing = {bare_name(change.name) for change in upgraded + changes.removed}
    answered = {question.path: question for question in plan.questions}
    questions = tuple(
        answered.get(question.path, question) for question in _questions(facts, changing)
    )
    return msgspec.structs.replace(plan.with_changes(changes), questions=questions, wishes=wishes)


def _weighed(facts: Facts, change: PackageChange) -> PackageChange:
    """The change, said to be a jump where a tool that matters goes to another major version."""
    if bare_name(change.name) not in facts.tools:
        return change
    major = upstream_major(change.old) != upstream_major(change.new)
    return msgspec.structs.replace(change, major=major)


def _questions(facts: Facts, changing: set[str]) -> Iterator[ConfigQuestion]:
    """One for each config file that is changed here and whose package changes."""
    for config in facts.changed_configs:
        if config.package in changing and not config.is_gone:
            yield ConfigQuestion(config.path, config.package, config.managed_by)


def bare_name(slot: str) -> str:
    """A package's name without its architecture."""
    return slot.partition(":")[0]
