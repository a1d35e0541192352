"""The outline of a plan: all that it changes and asks, in sections, in the order of reading.

Screen, plain text, Markdown and print are renderings of it: what one of them tells, all tell.
"""

from collections.abc import Iterator, Sequence

import msgspec

from brave_bridge.core.formats.text import counted
from brave_bridge.core.packages.changes import PackageChange, Price
from brave_bridge.core.packages.choices import FOLLOW, OBSOLETE, RESTART, SOURCE, STAYS, PlanChoice
from brave_bridge.core.packages.grouping import group_changes
from brave_bridge.core.packages.levels import LEVEL_WORDS, LevelResult
from brave_bridge.core.packages.preferences import PREFERENCE_KINDS
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import ConfigQuestion, PlanStep, SourceOutcome, StepRow

WISHES, UNSOUND, PRICES, QUESTIONS, STEP = "wishes", "unsound", "prices", "questions", "step"
CHANGES, SOURCES, KEYS = "changes", "sources", "keys"
CLEARED, LEFT, RESTARTS, STRAIGHT, WEIGHED = "cleared", "left", "restarts", "straight", "weighed"
"""The kinds of sections, in their order."""


class Wish(msgspec.Struct, frozen=True):
    """A preference about one package; ``kind`` is one of PREFERENCE_KINDS."""

    kind: str
    slot: str


class Signer(msgspec.Struct, frozen=True):
    """A key by its fingerprint, and the suites that it signed."""

    fingerprint: str
    signed: tuple[str, ...]


class Restart(msgspec.Struct, frozen=True):
    """A service that runs and is touched; without a choice it stops for good."""

    unit: str
    package: str
    choice: PlanChoice | None = None


Item = (
    Wish
    | str
    | Price
    | PlanChoice
    | ConfigQuestion
    | StepRow
    | PackageChange
    | SourceOutcome
    | Signer
    | Restart
    | LevelResult
)


class Section(msgspec.Struct, frozen=True, kw_only=True):
    """A part of a leg's outline.

    ``name`` tells it from others of its kind. A ``grave`` one wants a look, a ``folded`` one
    rarely does. ``step`` is the step whose rows it has.
    """

    kind: str
    title: str
    items: tuple[Item, ...]
    name: str = ""
    is_grave: bool = False
    is_folded: bool = False
    step: PlanStep | None = None

    @property
    def heading(self) -> str:
        """Its title, where it stands by itself on paper."""
        return self.title[:1].upper() + self.title[1:]

    @property
    def risks(self) -> tuple[str, ...]:
        """What a person should know of it before agreeing, each a sentence."""
        return self.step.risks if self.step else ()


def outline(
    plan: LegPlan, roles: Roles, running: frozenset[str] = frozenset(), *, with_wishes: bool = True
) -> list[Section]:
    """The sections of a leg's plan that have something in them.

    ``running`` are the service units that are known to run, beside those that are asked about.
    """
    sections = (
        *(_wishes(plan) if with_wishes else ()),
        *_decisions(plan),
        *_steps(plan),
        *_changes(plan, roles),
        *_sources(plan),
        *_obsolete(plan),
        *_restarts(plan, running),
        *_weighed(plan),
    )
    return [section for section in sections if section.items]


def _wishes(plan: LegPlan) -> Iterator[Section]:
    wishes = [
        Wish(kind, slot)
        for kind in PREFERENCE_KINDS
        for slot in sorted(getattr(plan.preferences, kind))
    ]
    yield _section(WISHES, f"{counted(len(wishes), 'preference')} of yours", wishes)


def _decisions(plan: LegPlan) -> Iterator[Section]:
    unsound, prices = plan.packages.unsound, plan.packages.prices
    words = f"{counted(len(unsound), 'thing')} not fitting together now: the plan mends them"
    yield _section(UNSOUND, words, unsound, is_grave=True)
    yield _section(PRICES, f"{counted(len(prices), 'price')} to weigh", prices)
    choices = [choice for choice in plan.choices if _wants_a_look(choice)]
    questions: list[Item] = [*choices, *plan.configs.questions]
    yield _section(QUESTIONS, f"{counted(len(questions), 'question')} answered ahead", questions)


def _wants_a_look(choice: PlanChoice) -> bool:
    """Whether a choice stands among the questions, not only where its subject is."""
    if choice.kind == SOURCE:
        return choice.answer != FOLLOW
    return choice.kind not in (OBSOLETE, RESTART)


def _steps(plan: LegPlan) -> Iterator[Section]:
    for step in plan.other_steps:
        yield Section(
            kind=STEP, name=step.kind, title=step.title, items=tuple(step.rows()), step=step
        )


def _changes(plan: LegPlan, roles: Roles) -> Iterator[Section]:
    for group in group_changes(plan.packages, roles):
        yield Section(
            kind=CHANGES,
            name=group.name,
            title=group.words,
            items=group.changes,
            is_grave=group.grave,
            is_folded=group.folded,
        )


def _sources(plan: LegPlan) -> Iterator[Section]:
    yield _section(SOURCES, "sources", plan.sources.outcomes)
    signed: dict[str, list[str]] = {}
    for source in plan.sources.outcomes:
        for fingerprint in source.signers:
            signed.setdefault(fingerprint, []).append(source.new_suite)
    signers = [Signer(fingerprint, tuple(suites)) for fingerprint, suites in signed.items()]
    one = len(signers) == 1
    words = "1 key vouches for them" if one else f"{len(signers)} keys vouch for them"
    yield _section(KEYS, words, signers, is_folded=True)


def _obsolete(plan: LegPlan) -> Iterator[Section]:
    """What no source has any more: what goes, and folded what stays for a clean-up."""
    choices = [choice for choice in plan.choices if choice.kind == OBSOLETE]
    going = [choice for choice in choices if choice.answer != STAYS]
    yield _section(CLEARED, f"{counted(len(going), 'package')} cleared away", going)
    asked = {choice.subject for choice in choices}
    stay = [choice for choice in choices if choice.answer == STAYS]
    left: list[Item] = [*stay, *(name for name in plan.packages.obsolete if name not in asked)]
    words = f"{counted(len(left), 'package')} that no source has any more: left as they are"
    yield _section(LEFT, words, left, is_folded=True)


def _restarts(plan: LegPlan, running: frozenset[str]) -> Iterator[Section]:
    choices = {choice.subject: choice for choice in plan.choices if choice.kind == RESTART}
    restarts = [
        Restart(service.unit, service.package, choices.get(service.unit))
        for service in plan.packages.services
        if service.unit in running or service.unit in choices
    ]
    yield _section(RESTARTS, f"{counted(len(restarts), 'service')} will restart", restarts)


def _weighed(plan: LegPlan) -> Iterator[Section]:
    skipping = plan.packages.skipping
    if skipping is not None:
        words = f"straight to {plan.leg.end.title}?"
        yield _section(STRAIGHT, words, [skipping.sentence, *skipping.guards], is_folded=True)
    levels = [level for level in plan.packages.levels if level.name in LEVEL_WORDS]
    yield _section(WEIGHED, "how well each preference is met", levels, is_folded=True)


def _section(
    kind: str, words: str, items: Sequence[Item], *, is_grave: bool = False, is_folded: bool = False
) -> Section:
    return Section(
        kind=kind, title=words, items=tuple(items), is_grave=is_grave, is_folded=is_folded
    )
