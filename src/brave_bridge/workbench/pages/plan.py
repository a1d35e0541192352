"""The Plan page: what will change?"""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.text import counted
from brave_bridge.core.packages.choices import FOLLOW, OBSOLETE, RESTART, SOURCE, STAYS, PlanChoice
from brave_bridge.core.packages.grouping import group_changes
from brave_bridge.core.packages.levels import LEVEL_WORDS
from brave_bridge.core.packages.preferences import PREFERENCE_KINDS
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.workbench.pages.page import Column, Page, Row, folded, said, title
from brave_bridge.workbench.pages.plan_rows import (
    change_row,
    choice_row,
    heading,
    key_row,
    level_row,
    preference_row,
    price_row,
    question_row,
    room_rows,
    service_row,
    source_row,
    step_row,
    unsound_row,
)
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


def _wants_a_look(choice: PlanChoice) -> bool:
    """Whether a choice stands among the questions, not only where its subject is."""
    if choice.kind == SOURCE:
        return choice.answer != FOLLOW
    return choice.kind not in (OBSOLETE, RESTART)


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
        yield from self._decisions()
        for step in self.plan.other_steps:
            yield heading(step.title, self.number)
            yield from (step_row(step, row, self.number) for row in step.rows())
        yield from self._groups()
        if self.plan.sources.outcomes:
            yield heading("sources", self.number)
        for source in self.plan.sources.outcomes:
            yield source_row(source, self.plan, self.number)
        yield from self._keys()
        yield from self._obsolete()
        yield from self._room()
        yield from self._services()
        yield from self._folded(
            "weighed",
            "how well each preference is met",
            [
                level_row(level, self.number)
                for level in self.plan.packages.levels
                if level.name in LEVEL_WORDS
            ],
        )

    def _decisions(self) -> Iterator[Row]:
        plan = self.plan
        if self.number == 0:
            preferences = [
                preference_row(kind, slot)
                for kind in PREFERENCE_KINDS
                for slot in sorted(getattr(plan.preferences, kind))
            ]
            if preferences:
                yield heading(
                    f"{counted(len(preferences), 'preference', 'preferences')} of yours",
                    self.number,
                )
                yield from preferences
        unsound, prices = plan.packages.unsound, plan.packages.prices
        if unsound:
            words = f"{counted(len(unsound), 'thing')} not fitting together now"
            yield heading(f"{words}: the plan mends them", self.number)
            yield from (unsound_row(fault, self.number) for fault in unsound)
        if prices:
            yield heading(f"{counted(len(prices), 'price')} to weigh", self.number)
            yield from (price_row(price, self.number) for price in prices)
        choices = [choice for choice in plan.choices if _wants_a_look(choice)]
        if plan.configs.questions or choices:
            count = counted(len(plan.configs.questions) + len(choices), "question")
            yield heading(f"{count} answered ahead", self.number)
            yield from (choice_row(choice, self.number) for choice in choices)
            yield from (question_row(question) for question in plan.configs.questions)

    def _keys(self) -> Iterator[Row]:
        """The keys that vouch for what is fetched, behind a fold."""
        signed: dict[str, list[str]] = {}
        for source in self.plan.sources.outcomes:
            for signer in source.signers:
                signed.setdefault(signer, []).append(source.new_suite)
        rows = [key_row(signer, names, self.number) for signer, names in signed.items()]
        words = "1 key vouches for them" if len(rows) == 1 else f"{len(rows)} keys vouch for them"
        yield from self._folded("keys", words, rows)

    def _groups(self) -> Iterator[Row]:
        for group in group_changes(self.plan.packages, self.roles):
            tone = "caution" if group.grave else "plain"
            rows = [
                change_row(change, tone, self.plan, self.number, self.roles.of(change.name))
                for change in group.changes
            ]
            if group.folded:
                yield from self._folded(group.name, group.words, rows)
            else:
                yield heading(group.words, self.number)
                yield from rows

    def _folded(self, name: str, words: str, rows: list[Row]) -> Iterator[Row]:
        key = f"fold:{self.number}:{name}"
        yield from folded(key, words, rows, self.unfolded, len(COLUMNS))

    def _obsolete(self) -> Iterator[Row]:
        """What no source has any more: what goes, and folded what stays for a clean-up."""
        left = [choice for choice in self.plan.choices if choice.kind == OBSOLETE]
        going = [choice for choice in left if choice.answer != STAYS]
        if going:
            yield heading(f"{counted(len(going), 'package')} cleared away", self.number)
            yield from (choice_row(choice, self.number) for choice in going)
        stay = [choice_row(choice, self.number) for choice in left if choice.answer == STAYS]
        words = f"{counted(len(stay), 'package')} that no source has any more: left as they are"
        yield from self._folded("obsolete", words, stay)

    def _services(self) -> Iterator[Row]:
        """The services that run here and are of packages that change."""
        facts = self.record.surveyed.facts if self.record.surveyed else None
        units = {unit.name: unit for unit in facts.activity.units} if facts else {}
        choices = {c.subject: c for c in self.plan.choices if c.kind == RESTART}
        rows = [
            service_row(service, choices.get(service.unit), self.number)
            for service in self.plan.packages.services
            if service.unit in units
        ]
        if rows:
            yield heading(f"{counted(len(rows), 'service')} will restart", self.number)
            yield from rows

    def _room(self) -> Iterator[Row]:
        facts = self.record.surveyed.facts if self.record.surveyed else None
        rows = list(room_rows(facts, self.plan, self.number)) if facts else []
        if rows:
            yield heading("room", self.number)
            yield from rows
