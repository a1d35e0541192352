"""A plan as files that others can read: Markdown, JSON, a printable page and a chart."""

from collections.abc import Iterator
from pathlib import Path

import msgspec

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.packages.changes import PackageChange
from brave_bridge.core.packages.grouping import group_changes
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import StepRow
from brave_bridge.drawings.document import save_document
from brave_bridge.drawings.plan_chart import PlanBar, save_plan_chart
from brave_bridge.machines.opening.named import write_named
from brave_bridge.workbench.papers.plan_document import plan_document
from brave_bridge.workbench.papers.printed_plan import printed_plan
from brave_bridge.workbench.record import KeptPlan, Surveyed
from brave_bridge.workbench.roles import known_roles

ENDINGS = ("md", "json", "pdf")


def export_plan(
    name: str, plan: KeptPlan, folder: Path, surveyed: Surveyed | None = None
) -> list[Path]:
    """Write a machine's plan and its chart; the paths written.

    With what was surveyed the printed plan has times, room and the way back, too.
    """
    stem, roles = f"{name}-plan", known_roles()
    lines = list(plan_lines(name, plan, roles))
    texts, data, printed = (folder / f"{stem}.{ending}" for ending in ENDINGS)
    write_named(texts, ("\n".join(lines) + "\n").encode())
    write_named(data, msgspec.json.format(msgspec.json.encode(plan_document(name, plan))))
    save_document(printed_plan(name, plan, roles, surveyed), printed)
    charts = [folder / f"{stem}-chart.{ending}" for ending in ("svg", "pdf")]
    for path in charts:
        save_plan_chart([_bar(leg) for leg in plan.legs], f"{name}: what changes", path)
    return [texts, data, printed, *charts]


def plan_lines(name: str, plan: KeptPlan, roles: Roles) -> Iterator[str]:
    """The plan as Markdown, a line at a time."""
    yield f"# {name}: {plan.legs[0].leg.start.title} to {plan.legs[-1].leg.end.title}"
    yield ""
    yield f"Plan {plan.hash}, made {plan.made_at[:16].replace('T', ' ')} UTC."
    for leg in plan.legs:
        yield from _leg_lines(leg, roles)


def _leg_lines(plan: LegPlan, roles: Roles) -> Iterator[str]:
    yield from ("", f"## {plan.leg.title}", "")
    yield f"{amounts((plan,))}."
    if plan.packages.prices:
        yield from ("", "### Prices", "")
        yield from (f"- {plain(price.words)}" for price in plan.packages.prices)
    if plan.choices:
        yield from ("", "### Choices", "")
        yield from (
            f"- {plain(choice.about)} {plain(choice.words_of(choice.answer))}"
            for choice in plan.choices
        )
    if plan.configs.questions:
        yield from ("", "### Config files", "")
        yield from (
            f"- `{q.path}` ({q.package}): {q.answer} stands" for q in plan.configs.questions
        )
    for step in plan.other_steps:
        yield from ("", f"### {step.title.capitalize()}", "")
        yield from (plain(_row_line(row)) for row in step.rows())
        yield from (f"- Mind: {plain(risk)}" for risk in step.risks)
    yield from ("", "### Sources", "")
    for source in plan.sources.outcomes:
        end = source.new_suite or source.outcome
        yield f"- {plain(source.uri)} {source.old_suite}: {end} ({plain(source.reason)})"
    for group in group_changes(plan.packages, roles):
        yield from ("", f"### {group.words}", "")
        yield from (_change_line(change) for change in group.changes)
    if plan.packages.skipping is not None:
        yield from (
            "",
            f"### Straight to {plan.leg.end.title}?",
            "",
            plan.packages.skipping.sentence,
        )
        yield from (f"- {plain(words)}" for words in plan.packages.skipping.guards)
    if plan.packages.obsolete:
        words = counted(len(plan.packages.obsolete), "package")
        yield from ("", f"### {words} that no source has any more", "")
        yield from (f"- {name}" for name in plan.packages.obsolete)


def _row_line(row: StepRow) -> str:
    versions = " to ".join(version for version in (row.old, row.new) if version)
    return f"- **{row.what}** {versions}{f': {row.why}' if row.why else ''}"


def _change_line(change: PackageChange) -> str:
    versions = " to ".join(version for version in (change.old, change.new) if version)
    return f"- **{change.name}** {versions}: {plain(change.reason)}"


def _bar(plan: LegPlan) -> PlanBar:
    first = set(plan.packages.first_stage)
    return PlanBar(
        title=plan.leg.title,
        first=sum(change.name in first for change in plan.packages.upgraded),
        second=sum(change.name not in first for change in plan.packages.upgraded),
        new=len(plan.packages.new),
        gone=len(plan.packages.lost),
        kept_back=len(plan.packages.kept_back),
        fetched=plan.download_bytes,
        jumps=tuple(f"{c.name} {c.old} to {c.new}" for c in plan.packages.jumps),
    )
