"""A plan as files that others can read: Markdown, JSON, a printable page and a chart."""

from collections.abc import Iterator
from pathlib import Path

import msgspec

from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.item_words import words_of
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.outline import outline
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
    yield from ("", f"## {plan.leg.title}", "", f"{amounts((plan,))}.")
    for section in outline(plan, roles):
        yield from ("", f"### {section.heading}", "")
        yield from (f"- {words_of(item).line(name='**{}**')}" for item in section.items)
        yield from (f"- Mind: {plain(risk)}" for risk in section.risks)


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
