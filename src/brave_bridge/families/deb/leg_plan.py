"""Composing a leg's plan from what the package manager answered and the indices hold."""

from collections.abc import Callable, Iterable, Iterator, Mapping

import msgspec

from brave_bridge.core.formats.apt_output import ChangeSummary, SummaryRow
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile, entries
from brave_bridge.core.formats.apt_status_db import Candidate, relation_names
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.packages.changes import (
    ConfigQuestion,
    LegPlan,
    PackageChange,
    SourceOutcome,
)
from brave_bridge.core.packages.reasons import Relations
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.versions.deb import upstream_major, version_key

SourceKey = tuple[str, int]
"""A source's file and line: both stay when sources are turned to another release."""


class LegState(msgspec.Struct, frozen=True):
    """Where a leg starts: sources, packages, and the database file that holds them."""

    source_files: tuple[SourceFile, ...]
    packages: tuple[InstalledPackage, ...]
    database: str


def source_key(entry: SourceEntry) -> SourceKey:
    """What names a source before and after a leg."""
    return entry.path, entry.line


def all_entries(files: Iterable[SourceFile]) -> list[SourceEntry]:
    """The active sources of all files."""
    return [entry for file in files for entry in entries(file)]


def without_packages(
    facts: Facts,
    leg: Leg,
    state: LegState,
    files: tuple[SourceFile, ...],
    reasons: Mapping[SourceKey, str],
) -> LegPlan:
    """The plan as far as the sources go; ``reasons`` say why some are paused."""
    return LegPlan(
        leg=leg, upgraded=(), new=(), removed=(), kept_back=(), first_stage=(),
        download_bytes=0, disk_bytes=0, questions=(), obsolete=(),
        sources=tuple(_source_outcomes(leg, state, files, reasons)), source_files=files,
        sources_before=state.source_files, made_at=facts.taken_at,
    )  # fmt: skip


def _source_outcomes(
    leg: Leg, state: LegState, files: tuple[SourceFile, ...], reasons: Mapping[SourceKey, str]
) -> Iterator[SourceOutcome]:
    after = {source_key(entry): entry for entry in all_entries(files)}
    for entry in all_entries(state.source_files):
        now = after.get(source_key(entry))
        for number, suite in enumerate(entry.suites):
            if now is None:
                end = ("", "paused", reasons.get(source_key(entry), ""))
            elif now.suites[number] == suite:
                end = (suite, "unchanged", "it does not name the release")
            else:
                end = (now.suites[number], "renamed", f"has {leg.end.title}")
            yield SourceOutcome(entry.path, entry.line, entry.uris[0], suite, *end)


class LegPlanComposer:
    """Composes one leg's plan. ``candidates`` are what the new indices offer, by name.

    ``proven`` are reasons that the planner has proved, by package; the rest is read from what
    packages say of each other.
    """

    def __init__(
        self,
        facts: Facts,
        leg: Leg,
        state: LegState,
        candidates: Mapping[str, Candidate],
        reasons: Mapping[SourceKey, str],
        proven: Mapping[str, str],
    ) -> None:
        self.facts = facts
        self.proven = proven
        self.leg = leg
        self.state = state
        self.candidates = candidates
        self.reasons = reasons
        self.installed = {package.name: package for package in state.packages}

    def compose(
        self, files: tuple[SourceFile, ...], summary: ChangeSummary, first: ChangeSummary
    ) -> LegPlan:
        """The plan; ``first`` is the part of ``summary`` that stage one carries out."""
        upgraded = self._changes(summary.upgraded, self._why_upgraded)
        new = self._changes(summary.new, self._why_new(summary))
        removed = self._changes(summary.removed, self._why_removed(summary))
        kept = self._changes(summary.kept_back, self._why_kept(summary))
        return msgspec.structs.replace(
            without_packages(self.facts, self.leg, self.state, files, self.reasons),
            upgraded=upgraded,
            new=new,
            removed=removed,
            kept_back=kept,
            first_stage=tuple(row.name for row in first.upgraded),
            download_bytes=sum(change.download_bytes for change in upgraded + new),
            disk_bytes=sum(change.disk_bytes for change in upgraded + new + removed),
            questions=self._questions({change.name for change in upgraded + removed}),
            obsolete=self._obsolete({change.name for change in removed}),
            ahead=tuple(self._ahead({change.name for change in removed})),
        )

    def _changes(
        self, rows: Iterable[SummaryRow], reason: Callable[[str], str]
    ) -> tuple[PackageChange, ...]:
        return tuple(
            self._change(row, self.proven.get(row.name) or reason(row.name)) for row in rows
        )

    def _questions(self, changing: set[str]) -> tuple[ConfigQuestion, ...]:
        """One for each config file that is changed here and whose package changes."""
        return tuple(
            ConfigQuestion(config.path, config.package, config.managed_by)
            for config in self.facts.changed_configs
            if config.package in changing and not config.is_gone
        )

    def _obsolete(self, removed: set[str]) -> tuple[str, ...]:
        """The packages that stay though no source has them any more."""
        stay = (p.name for p in self.state.packages if p.is_present and p.name not in removed)
        return tuple(sorted(name for name in stay if name not in self.candidates))

    def _ahead(self, removed: set[str]) -> Iterator[PackageChange]:
        """The packages that stay newer than the new release has them."""
        for package in self.state.packages:
            there = self.candidates.get(package.name)
            if there is None or not package.is_present or package.name in removed:
                continue
            if version_key(package.version) > version_key(there.version):
                reason = f"newer here than in {self.leg.end.title}"
                yield PackageChange(package.name, package.version, there.version, reason)

    def _change(self, row: SummaryRow, reason: str) -> PackageChange:
        name = _bare(row.name)
        present, coming = self.installed.get(name), self.candidates.get(name)
        arrives = bool(row.new) and coming is not None
        size_before = present.installed_kib if present and present.is_present else 0
        size_after = coming.installed_kib if arrives else 0
        return PackageChange(
            name=row.name,
            old=row.old,
            new=row.new,
            reason=reason,
            download_bytes=coming.download_bytes if arrives else 0,
            disk_bytes=(size_after - size_before) * 1024,
            section=(coming or present).section if (coming or present) else "",
            major=bool(row.old and row.new)
            and name in self.facts.tools
            and upstream_major(row.old) != upstream_major(row.new),
        )

    def _relations(self, summary: ChangeSummary) -> Relations:
        """The relations of all that arrives: they are why things come, go and stay."""
        names = (_bare(row.name) for row in summary.upgraded + summary.new)
        return Relations(self.candidates[name] for name in names if name in self.candidates)

    def _why_upgraded(self, name: str) -> str:
        return f"newer in {self.leg.end.codename}"

    def _why_new(self, summary: ChangeSummary) -> Callable[[str], str]:
        relations = self._relations(summary)

        def why(name: str) -> str:
            candidate = self.candidates.get(_bare(name))
            provides = candidate.relations.get("Provides", "") if candidate else ""
            return relations.why_new(name, relation_names(provides) if provides else [])

        return why

    def _why_removed(self, summary: ChangeSummary) -> Callable[[str], str]:
        relations = self._relations(summary)
        gone = {
            p.name: self.leg.end.title for p in self.state.packages if p.name not in self.candidates
        }

        def why(name: str) -> str:
            present = self.installed.get(name)
            return relations.why_removed(
                name, relation_names(present.depends) if present else [], gone
            )

        return why

    def _why_kept(self, summary: ChangeSummary) -> Callable[[str], str]:
        relations = self._relations(summary)

        def why(name: str) -> str:
            present = self.installed.get(name)
            return relations.why_kept(name, present is not None and present.is_held)

        return why


def _bare(name: str) -> str:
    """A package's name without its architecture."""
    return name.partition(":")[0]
