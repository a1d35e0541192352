"""Putting a leg's plan together: what becomes of the sources, and what follows for packages."""

from collections.abc import Iterable, Iterator, Mapping

import msgspec

from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile, entries
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.choices import (
    AT_ONCE,
    COMES,
    FAMILY,
    GOES,
    LATER,
    NONE_COMES,
    OBSOLETE,
    RESTART,
    STAYS,
    TOOL,
    Option,
    PlanChoice,
)
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import ConfigQuestion, ConfigsStep, SourceOutcome, SourcesStep
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.databases import held_by_data
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.versions.deb import upstream_series

SourceKey = tuple[str, int]
"""A source's file and line: both stay when sources are turned to another release."""
SourceEnd = tuple[str, str]
"""What becomes of a source (an outcome of SourceOutcome), and why."""


def source_key(entry: SourceEntry) -> SourceKey:
    """What names a source before and after a leg."""
    return entry.path, entry.line


def all_entries(files: Iterable[SourceFile]) -> list[SourceEntry]:
    """The active sources of all files."""
    return [entry for file in files for entry in entries(file)]


def sources_only(
    facts: Facts,
    leg: Leg,
    before: tuple[SourceFile, ...],
    after: tuple[SourceFile, ...],
    ends: Mapping[SourceKey, SourceEnd],
    signers: Mapping[tuple[str, str], tuple[str, ...]],
    choices: tuple[PlanChoice, ...] = (),
) -> LegPlan:
    """The plan as far as the sources go; ``ends`` are of those that do not simply go along.

    ``signers`` are those of each (URI, suite).
    """
    outcomes = tuple(_source_outcomes(leg, before, after, ends, signers))
    step = SourcesStep(outcomes=outcomes, files=after, before=before)
    return LegPlan(leg=leg, steps=(step,), made_at=facts.taken_at, choices=choices)


def _source_outcomes(
    leg: Leg,
    files: tuple[SourceFile, ...],
    turned: tuple[SourceFile, ...],
    ends: Mapping[SourceKey, SourceEnd],
    signers: Mapping[tuple[str, str], tuple[str, ...]],
) -> Iterator[SourceOutcome]:
    after = {source_key(entry): entry for entry in all_entries(turned)}
    for entry in all_entries(files):
        now = after.get(source_key(entry))
        for number, suite in enumerate(entry.suites):
            new = now.suites[number] if now is not None else ""
            usual = (
                ("unchanged", "it does not name the release")
                if new == suite
                else ("renamed", f"has {leg.end.title}")
            )
            outcome, reason = ends.get(source_key(entry), usual)
            yield SourceOutcome(
                entry.path,
                entry.line,
                entry.uris[0],
                suite,
                new,
                outcome,
                reason,
                signers=signers.get((entry.uris[0], new), ()),
            )


def with_packages(
    facts: Facts, plan: LegPlan, changes: PackageChanges, preferences: Preferences
) -> LegPlan:
    """The plan with what happens to packages, and the questions that follow from it."""
    upgraded = tuple(_weighed(facts, change) for change in changes.upgraded)
    changes = msgspec.structs.replace(changes, upgraded=upgraded)
    changing = {bare_name(change.name) for change in upgraded + changes.removed}
    answered = {question.path: question for question in plan.configs.questions}
    questions = tuple(
        answered.get(question.path, question) for question in _questions(facts, changing)
    )
    asked = tuple(choice for choice in plan.choices if choice.needs_sources)
    choices = (
        *asked,
        *_tool_choices(facts, plan.leg, preferences),
        *_family_choices(changes, preferences),
        *_obsolete_choices(facts, changes),
        *_restart_choices(facts, changes, preferences),
    )
    whole = plan.with_packages(changes).with_step(ConfigsStep(questions=questions))
    return msgspec.structs.replace(whole, choices=choices, preferences=preferences)


def _tool_choices(facts: Facts, leg: Leg, preferences: Preferences) -> Iterator[PlanChoice]:
    """The tools that are installed and that another one succeeds."""
    installed = {package.name for package in facts.installed}
    for successor in leg.successors:
        if successor.tool in installed:
            yield PlanChoice(
                kind=TOOL,
                subject=successor.tool,
                about=f"{successor.text} Shall {successor.by} take its place?",
                options=(
                    Option(STAYS, f"{successor.tool} stays"),
                    Option(GOES, f"{successor.by} comes and {successor.tool} goes"),
                ),
                answer=GOES if successor.tool in preferences.remove else STAYS,
                default=STAYS,
                other=successor.by,
            )


def _family_choices(changes: PackageChanges, preferences: Preferences) -> Iterator[PlanChoice]:
    """The families of packages whose next version does not come by itself: all of it, or none."""
    for family in changes.successions:
        names = ", ".join(sorted(family.coming))
        yield PlanChoice(
            kind=FAMILY,
            subject=family.old,
            about=f"{family.old} does not come along. Shall {family.new} take its place?",
            options=(
                Option(NONE_COMES, f"nothing takes the place of {family.old}"),
                Option(COMES, f"{names} come; what was enabled is left to you"),
            ),
            answer=COMES if family.coming <= preferences.add else NONE_COMES,
            default=NONE_COMES,
            other=" ".join(sorted(family.coming)),
        )


def _obsolete_choices(facts: Facts, changes: PackageChanges) -> Iterator[PlanChoice]:
    """The packages that no source has any more.

    One with the running kernel, or that a database's data needs, is not let go.
    """
    running = [kernel.version for kernel in facts.kernels if kernel.running]
    held = held_by_data(facts.clusters)
    for name in changes.obsolete:
        cluster = held.get(bare_name(name))
        if any(version in name for version in running):
            options = (Option(STAYS, "it stays: the kernel that runs now is in it"),)
        elif cluster is not None:
            options = (Option(STAYS, f"it stays: the data of {cluster.title} needs it"),)
        else:
            options = (
                Option(STAYS, "it stays installed and gets no more fixes"),
                Option(GOES, "it goes with this leg, and what needs it"),
            )
        yield PlanChoice(
            kind=OBSOLETE,
            subject=name,
            about=f"No source has {name} any more. Shall it stay?",
            options=options,
            answer=STAYS,
            default=STAYS,
        )


def _restart_choices(
    facts: Facts, changes: PackageChanges, preferences: Preferences
) -> Iterator[PlanChoice]:
    """The services that run and whose packages change."""
    running = {unit.name for unit in facts.activity.units if not unit.has_failed}
    changing = {change.name for change in changes.upgraded}
    for service in changes.services:
        if service.unit in running and service.package in changing:
            yield PlanChoice(
                kind=RESTART,
                subject=service.unit,
                about=f"When shall {service.unit} restart?",
                options=(
                    Option(AT_ONCE, "at once, when its package is put in place"),
                    Option(LATER, "when the leg is done; until then it runs as it is"),
                ),
                answer=LATER if service.unit in preferences.restart_later else AT_ONCE,
                default=AT_ONCE,
            )


def _weighed(facts: Facts, change: PackageChange) -> PackageChange:
    """The change, said to be a jump where a tool that matters goes to another major version."""
    if bare_name(change.name) not in facts.tools:
        return change
    major = upstream_series(change.old) != upstream_series(change.new)
    return msgspec.structs.replace(change, major=major)


def _questions(facts: Facts, changing: set[str]) -> Iterator[ConfigQuestion]:
    """One for each config file that is changed here and whose package changes."""
    for config in facts.changed_configs:
        if config.package in changing and not config.is_gone:
            yield ConfigQuestion(config.path, config.package, config.managed_by)


def bare_name(slot: str) -> str:
    """A package's name without its architecture."""
    return slot.partition(":")[0]
