"""A plan in plain lines, grouped as on the screen: what wants a decision or a look comes first."""

from collections.abc import Iterable, Iterator

from brave_bridge.core.formats.text import counted, plain, shortened
from brave_bridge.core.packages.changes import PackageChange
from brave_bridge.core.packages.choices import PlanChoice
from brave_bridge.core.packages.grouping import BY_HAND, COMING, MATTERS
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.item_words import LONGEST, words_of
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.outline import (
    CHANGES,
    LEFT,
    PRICES,
    QUESTIONS,
    RESTARTS,
    SOURCES,
    STEP,
    STRAIGHT,
    UNSOUND,
    WISHES,
    Item,
    Section,
    outline,
)
from brave_bridge.core.plan.steps import ConfigQuestion, PackagesStep, SourceOutcome
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.roles import known_roles

_NAMES, _REASONS = 8, 12
_MARKS = {WISHES: "◆", UNSOUND: "■", PRICES: "?", QUESTIONS: "?", SOURCES: "●", STEP: "●"}
"""The marks of what stands ahead of the changes of packages."""
_EACH = (MATTERS,)
"""Groups of which every package is a line of its own, with its versions."""


def plan_text(kept: KeptPlan, *, everything: bool = False) -> Iterable[str]:
    """A plan leg by leg; ``everything``: nothing is cut or put together."""
    roles = known_roles()
    for plan in kept.legs:
        yield from _LegText(plan, roles, everything).lines()
    yield f"plan {kept.hash}"


class _LegText:
    """The lines of one leg."""

    def __init__(self, plan: LegPlan, roles: Roles, everything: bool) -> None:
        self.plan = plan
        self.roles = roles
        self.everything = everything

    def lines(self) -> Iterator[str]:
        """All of them, in the order in which they want to be read."""
        yield from self._head()
        sections = outline(self.plan, self.roles)
        for section in sorted(sections, key=_weight):
            yield from self._section(section)

    def _head(self) -> Iterator[str]:
        plan = self.plan
        yield f"{plan.leg.start.title} to {plan.leg.end.title}"
        packages = plan.step(PackagesStep)
        if packages is not None:
            yield f"  {packages.summary or 'no package changes'}"
        yield f"  {amounts((plan,), 'to download')}"

    def _section(self, section: Section) -> Iterator[str]:
        if section.kind == CHANGES:
            yield from self._group(section)
        elif section.kind == LEFT:
            yield from self._left_over(section)
        elif section.kind == RESTARTS:
            told = [words_of(item) for item in section.items]
            yield from self._names(section.title, [f"{one.what} {one.becomes}" for one in told])
        elif self.everything or not section.is_folded:
            yield from self._whole_section(section)
        elif section.kind == STRAIGHT:
            yield plain(f"  ● {section.title} {words_of(section.items[0]).what}", LONGEST)

    def _whole_section(self, section: Section) -> Iterator[str]:
        shown = list(self._shown(section))
        if shown:
            yield f"  {_MARKS.get(section.kind, '●')} {section.title}:"
            yield from (f"      {_item_line(item)}" for item in shown)
            yield from (plain(f"      ▲ {risk}", LONGEST) for risk in section.risks)

    def _shown(self, section: Section) -> Iterator[Item]:
        """Its items but for sources that stay as they are, which are cut."""
        for item in section.items:
            unchanged = isinstance(item, SourceOutcome) and item.outcome == "unchanged"
            if self.everything or not unchanged:
                yield item

    def _group(self, group: Section) -> Iterator[str]:
        changes = [item for item in group.items if isinstance(item, PackageChange)]
        mark = "▲" if group.is_grave else "●"
        if self.everything:
            yield f"  {mark} {group.title}:"
            yield from (f"      {self._whole(change)}" for change in changes)
        elif group.is_grave:
            yield f"  {mark} {group.title}:"
            yield from self._by_reason(changes)
        elif group.name in _EACH:
            yield f"  {mark} {group.title}:"
            yield from (f"      {self._with_role(change)}" for change in changes)
        else:
            names = [change.name for change in changes]
            most = _NAMES if group.name in (BY_HAND, COMING) else 3
            yield plain(f"  {mark} {group.title}: {', '.join(shortened(names, most))}", LONGEST)

    def _with_role(self, change: PackageChange) -> str:
        role = self.roles.of(change.name)
        words = f" ({role.name}: {role.after})" if role else ""
        return plain(f"{_versions(change)}{words}", LONGEST)

    def _whole(self, change: PackageChange) -> str:
        """All that is known of a change, in one line."""
        reason = f": {change.reason}" if change.reason else ""
        return f"{self._with_role(change)}{plain(reason, LONGEST)}"

    def _by_reason(self, changes: Iterable[PackageChange]) -> Iterator[str]:
        """One reason that serves several packages is said once."""
        by_reason: dict[str, list[PackageChange]] = {}
        for change in changes:
            by_reason.setdefault(change.reason, []).append(change)
        for reason, alike in list(by_reason.items())[:_REASONS]:
            names = ", ".join(shortened([_versions(change) for change in alike], _NAMES))
            yield plain(f"      {names}: {reason}", LONGEST)
        if len(by_reason) > _REASONS:
            left = sum(len(alike) for alike in list(by_reason.values())[_REASONS:])
            yield f"      and {left} more for other reasons (--all lists them)"

    def _left_over(self, section: Section) -> Iterator[str]:
        """What no source has any more: one line for all that stay as they are and could go."""
        choices = [item for item in section.items if isinstance(item, PlanChoice)]
        may = [choice.subject for choice in choices if len(choice.options) > 1]
        told = [item for item in section.items if isinstance(item, str)]
        if may or told:
            words = f"{counted(len(may) + len(told), 'package')} that no source has any more"
            yield from self._names(f"{words}, and that stay", [*may, *told])
        if may:
            yield "      each can go with the leg: --choose 'obsolete NAME=goes'"
        for choice in choices:
            if len(choice.options) == 1:
                words = choice.words_of(choice.answer)
                yield plain(f"  ● no source has {choice.subject} any more; {words}", LONGEST)

    def _names(self, words: str, names: list[str]) -> Iterator[str]:
        """Names behind what is said of them; one a line where nothing is put together."""
        if self.everything:
            yield f"  ● {words}:"
            yield from (f"      {plain(name)}" for name in names)
        else:
            yield plain(f"  ● {words}: {', '.join(shortened(names, _NAMES))}", LONGEST)


def _versions(change: PackageChange) -> str:
    return f"{change.name} {change.versions}"


def _weight(section: Section) -> int:
    """What wants a decision or a look stands first; else the order is the outline's."""
    if section.kind != CHANGES:
        return 0 if _MARKS.get(section.kind) else 3
    return 1 if section.is_grave else 2


def _item_line(item: Item) -> str:
    if isinstance(item, PlanChoice):
        return _choice_line(item)
    return f"{words_of(item).line()}{_how_to_answer(item)}"


def _how_to_answer(item: Item) -> str:
    if isinstance(item, ConfigQuestion) and item.answer == "mine":
        return plain(f"; or --theirs {item.path}", LONGEST)
    return ""


def _choice_line(choice: PlanChoice) -> str:
    answers = ", ".join(option.answer for option in choice.options)
    return plain(f"{choice.key}: {choice.answer} (of {answers})", LONGEST)
