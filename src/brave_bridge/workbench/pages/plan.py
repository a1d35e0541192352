"""The Plan page: what will change?"""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.outline import Section, outline
from brave_bridge.workbench.pages.page import Column, Page, Row, folded, said, title
from brave_bridge.workbench.pages.plan_rows import heading, item_row, room_rows
from brave_bridge.workbench.pictures.plan import plan_picture
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("what", 30),
    Column("from", 17),
    Column("to", 17),
    Column("fetch", 9, right=True),
    Column("why"),
)

_FETCH = 4
"""The column that tells what has to be fetched."""

_ABOUT = (
    title("What planning does"),
    *said(
        "It reads the new release's signed indices into a folder of its own and weighs every "
        "package over them. The machine's sources and packages stay as they are.",
        "The plan names every package that would be upgraded, new, gone or kept back, with the "
        "reason, and asks about config files ahead.",
        "Before a crossing the package manager must say that it would do exactly this.",
    ),
)


def plan_page(record: MachineRecord, roles: Roles, unfolded: frozenset[str] = frozenset()) -> Page:
    """The change list, leg by leg: decisions first, then what wants a look, then the rest.

    ``unfolded`` are the keys of the folds that are open.
    """
    plan = record.plan
    if plan is None:
        goal = record.goal.title if record.goal else ""
        if record.by_own_tools:
            empty = (
                "This machine is crossed by its own tools. Before that: a way back (7, b) and a "
                "baseline (brave-bridge baseline); behind it: its proof (6)."
            )
        elif goal:
            empty = f"Not planned yet. p plans the way to {goal}; nothing is changed by that."
        else:
            empty = "There is no release to go to."
        return Page("no plan", COLUMNS, (), empty, _ABOUT)
    rows = [
        row
        for number, leg in enumerate(plan.legs)
        for row in _LegRows(record, leg, number, roles, unfolded).rows(len(plan.legs) > 1)
    ]
    summary = (
        f"to {plan.legs[-1].leg.end.title}: {amounts(plan.legs)}{_takes(record)}, "
        f"plan {plan.hash[:8]}"
    )
    columns = COLUMNS
    if not any(leg.packages or leg.sources.outcomes for leg in plan.legs):
        columns, rows = COLUMNS[:_FETCH] + COLUMNS[_FETCH + 1 :], [_narrowed(row) for row in rows]
    return Page(summary, columns, tuple(rows), picture=plan_picture(record, plan, roles))


def _narrowed(row: Row) -> Row:
    """A row without the column that only packages have something in."""
    cells = row.cells[:_FETCH] + row.cells[_FETCH + 1 :]
    return msgspec.structs.replace(row, cells=cells)


def _takes(record: MachineRecord) -> str:
    estimate = record.surveyed.estimate if record.surveyed else None
    return f", {estimate.words}" if estimate else ""


class _LegRows:
    """The rows of one leg."""

    def __init__(
        self,
        record: MachineRecord,
        plan: LegPlan,
        number: int,
        roles: Roles,
        unfolded: frozenset[str],
    ) -> None:
        self.record = record
        self.plan = plan
        self.number = number
        self.roles = roles
        self.unfolded = unfolded

    def rows(self, several: bool) -> Iterator[Row]:
        """All of them, in the order in which they want to be read."""
        leg = self.plan.leg
        if several:
            yield heading(f"── {leg.start.title} to {leg.end.title} ──", self.number)
        is_first = self.number == 0
        for section in outline(self.plan, self.roles, self._running(), with_wishes=is_first):
            yield from self._section(section)
        yield from self._room()

    def _section(self, section: Section) -> Iterator[Row]:
        rows = [
            item_row(item, section, self.plan, self.number, self.roles) for item in section.items
        ]
        if section.is_folded:
            key = f"fold:{self.number}:{section.name or section.kind}"
            yield from folded(key, section.title, rows, self.unfolded, len(COLUMNS))
        else:
            yield heading(section.title, self.number)
            yield from rows

    def _running(self) -> frozenset[str]:
        facts = self.record.surveyed.facts if self.record.surveyed else None
        return frozenset(unit.name for unit in facts.activity.units) if facts else frozenset()

    def _room(self) -> Iterator[Row]:
        facts = self.record.surveyed.facts if self.record.surveyed else None
        rows = list(room_rows(facts, self.plan, self.number)) if facts else []
        if rows:
            yield heading("room", self.number)
            yield from rows
