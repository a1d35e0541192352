"""The plan as a colleague approves it: one page that decides, and an appendix for the rest."""

from collections.abc import Iterator

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.packages.changes import PackageChange
from brave_bridge.core.packages.grouping import GONE, KEPT_BACK
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.item_words import words_of
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.outline import CHANGES, LEFT, QUESTIONS, outline
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.drawings.document import Part, Section
from brave_bridge.workbench.pictures.plan import plan_chart, telling
from brave_bridge.workbench.record import KeptPlan, Surveyed

_MOST_ON_FIRST = 14


def printed_plan(name: str, plan: KeptPlan, roles: Roles, surveyed: Surveyed | None) -> list[Part]:
    """The first page: what weighs, what goes away and why, what jumps, what is asked; then all."""
    start, end = plan.legs[0].leg.start.title, plan.legs[-1].leg.end.title
    facts = surveyed.facts if surveyed else None
    first = Part(
        title=f"{name}: {start} to {end}",
        about=" ".join(_about(plan, surveyed)),
        picture=plan_chart(facts, plan, roles),
        sections=tuple(_first_sections(plan, roles, surveyed)),
    )
    rest = [
        Part(
            title=f"Appendix: {leg.leg.title}",
            about="Every change, by what it means.",
            sections=tuple(_appendix(leg, roles)),
            columns=2,
        )
        for leg in plan.legs
    ]
    return [first, *rest]


def _about(plan: KeptPlan, surveyed: Surveyed | None) -> Iterator[str]:
    yield f"{telling(plan)}."
    estimate = surveyed.estimate if surveyed else None
    if estimate is not None:
        yield f"It takes {estimate.words} ({estimate.basis})."
    yield f"Plan {plan.hash}, made {plan.made_at[:16].replace('T', ' ')} UTC."


def _first_sections(plan: KeptPlan, roles: Roles, surveyed: Surveyed | None) -> Iterator[Section]:
    gone = [change for leg in plan.legs for change in leg.packages.lost]
    yield from _reasons("Goes away", gone)
    kept = [change for leg in plan.legs for change in leg.packages.kept_back]
    yield from _reasons("Is kept back", kept)
    jumps = [f"- {c.name}: {c.old} to {c.new}" for leg in plan.legs for c in leg.packages.jumps]
    yield from _section("Jumps a major version", jumps)
    questions = [line for leg in plan.legs for line in _questions(leg, roles)]
    yield from _section("Questions, and how they are answered", questions)
    if surveyed is not None:
        stands = [f for f in surveyed.findings if f.verdict is Verdict.STOP]
        lines = [f"- {plain(finding.title)}: {plain(finding.remedy)}" for finding in stands]
        yield from _section("Stands in the way now", lines)
    yield Section("The way back", ("A way back is made before the first change, and told here.",))


def _reasons(words: str, changes: list[PackageChange]) -> Iterator[Section]:
    """Packages by their reason: one that serves several is said once."""
    by_reason: dict[str, list[str]] = {}
    for change in changes:
        by_reason.setdefault(change.reason, []).append(change.name)
    lines = [f"- {', '.join(names)}: {plain(reason)}" for reason, names in by_reason.items()]
    yield from _section(f"{words}: {counted(len(changes), 'package')}", lines)


def _section(heading: str, lines: list[str]) -> Iterator[Section]:
    if not lines:
        return
    shown = lines[:_MOST_ON_FIRST]
    more = len(lines) - len(shown)
    yield Section(heading, (*shown, *((f"- and {more} more, see the appendix",) if more else ())))


def _questions(leg: LegPlan, roles: Roles) -> Iterator[str]:
    asked = (part for part in outline(leg, roles) if part.kind == QUESTIONS)
    return (f"- {words_of(item).line()}" for part in asked for item in part.items)


def _appendix(leg: LegPlan, roles: Roles) -> Iterator[Section]:
    for part in outline(leg, roles):
        if part.kind == LEFT:
            yield Section(part.heading, (", ".join(words_of(item).what for item in part.items),))
        else:
            told = part.kind != CHANGES or part.name in (GONE, KEPT_BACK) or part.is_grave
            lines = (f"- {words_of(item).line(told=told)}" for item in part.items)
            yield Section(part.heading, (*lines, *part.risks))
