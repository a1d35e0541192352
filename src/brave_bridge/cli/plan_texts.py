"""A plan in plain lines, grouped as on the screen: what wants a decision or a look comes first."""

from collections.abc import Iterable, Iterator

from brave_bridge.core.formats.text import byte_size, counted, plain, shortened
from brave_bridge.core.packages.changes import PackageChange
from brave_bridge.core.packages.choices import OBSOLETE, RESTART, STAYS, PlanChoice
from brave_bridge.core.packages.grouping import BY_HAND, COMING, MATTERS, ChangeGroup, group_changes
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import PackagesStep, StepRow
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.roles import known_roles

_NAMES, _REASONS = 8, 12
_LONGEST = 4000
"""Characters of a line into which names are put together."""
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
        yield from self._decisions()
        yield from self._sources()
        for step in self.plan.other_steps:
            yield f"  {step.title}:"
            yield from (f"      {_row_line(row)}" for row in step.rows())
            yield from (plain(f"      ▲ {risk}", _LONGEST) for risk in step.risks)
        groups = group_changes(self.plan.packages, self.roles)
        for group in sorted(groups, key=lambda g: (not g.grave, g.name not in _EACH)):
            yield from self._group(group)
        yield from self._left_over()
        yield from self._restarts()
        skipping = self.plan.packages.skipping
        if skipping is not None:
            yield plain(f"  straight to {self.plan.leg.end.title}? {skipping.sentence}", _LONGEST)

    def _head(self) -> Iterator[str]:
        plan = self.plan
        yield f"{plan.leg.start.title} to {plan.leg.end.title}"
        packages = plan.step(PackagesStep)
        if packages is not None:
            yield f"  {packages.summary or 'no package changes'}"
        yield f"  {amounts((plan,), 'to download')}"

    def _decisions(self) -> Iterator[str]:
        plan = self.plan
        yield from (f"  ■ now: {plain(fault)}" for fault in plan.packages.unsound)
        yield from (f"  ? {plain(price.words)}" for price in plan.packages.prices)
        for choice in plan.choices:
            if choice.kind not in (OBSOLETE, RESTART):
                yield _choice_line(choice)
        for question in plan.configs.questions:
            keep = "your version stays" if question.answer == "mine" else "the new one is taken"
            yield plain(f"  ? {question.path}: {keep} (or --theirs {question.path})")

    def _sources(self) -> Iterator[str]:
        for source in self.plan.sources.outcomes:
            if source.outcome != "unchanged":
                arrow = f"{source.old_suite} → {source.new_suite}".rstrip(" →")
                yield plain(f"  source {source.outcome}: {source.uri} {arrow} ({source.reason})")

    def _group(self, group: ChangeGroup) -> Iterator[str]:
        mark = "▲" if group.grave else "●"
        if self.everything:
            yield f"  {mark} {group.words}:"
            yield from (f"      {self._whole(change)}" for change in group.changes)
        elif group.grave:
            yield f"  {mark} {group.words}:"
            yield from self._by_reason(group.changes)
        elif group.name in _EACH:
            yield f"  {mark} {group.words}:"
            yield from (f"      {self._with_role(change)}" for change in group.changes)
        else:
            names = [change.name for change in group.changes]
            most = _NAMES if group.name in (BY_HAND, COMING) else 3
            yield plain(f"  {mark} {group.words}: {', '.join(shortened(names, most))}", _LONGEST)

    def _with_role(self, change: PackageChange) -> str:
        role = self.roles.of(change.name)
        words = f" ({role.name}: {role.after})" if role else ""
        return plain(f"{_versions(change)}{words}", _LONGEST)

    def _whole(self, change: PackageChange) -> str:
        """All that is known of a change, in one line."""
        reason = f": {change.reason}" if change.reason else ""
        return f"{self._with_role(change)}{plain(reason, _LONGEST)}"

    def _by_reason(self, changes: Iterable[PackageChange]) -> Iterator[str]:
        """One reason that serves several packages is said once."""
        by_reason: dict[str, list[PackageChange]] = {}
        for change in changes:
            by_reason.setdefault(change.reason, []).append(change)
        for reason, alike in list(by_reason.items())[:_REASONS]:
            names = ", ".join(shortened([_versions(change) for change in alike], _NAMES))
            yield plain(f"      {names}: {reason}", _LONGEST)
        if len(by_reason) > _REASONS:
            left = sum(len(alike) for alike in list(by_reason.values())[_REASONS:])
            yield f"      and {left} more for other reasons (--all lists them)"

    def _left_over(self) -> Iterator[str]:
        """What no source has any more: one line for all that stay as they are and could go."""
        left = [choice for choice in self.plan.choices if choice.kind == OBSOLETE]
        yield from (_choice_line(choice) for choice in left if choice.answer != STAYS)
        stay = [choice for choice in left if choice.answer == STAYS]
        must = [choice for choice in stay if len(choice.options) == 1]
        may = [choice for choice in stay if len(choice.options) > 1]
        if may:
            words = f"{counted(len(may), 'package')} that no source has any more"
            yield from self._names(f"{words}, and that stay", [c.subject for c in may])
            yield "      each can go with the leg: --choose 'obsolete NAME=goes'"
        for choice in must:
            words = choice.words_of(choice.answer)
            yield plain(f"  ● no source has {choice.subject} any more; {words}", _LONGEST)

    def _restarts(self) -> Iterator[str]:
        services = [choice for choice in self.plan.choices if choice.kind == RESTART]
        if services:
            names = [f"{choice.subject} {choice.answer}" for choice in services]
            yield from self._names(f"{counted(len(services), 'service')} will restart", names)

    def _names(self, words: str, names: list[str]) -> Iterator[str]:
        """Names behind what is said of them; one a line where nothing is put together."""
        if self.everything:
            yield f"  ● {words}:"
            yield from (f"      {plain(name)}" for name in names)
        else:
            yield plain(f"  ● {words}: {', '.join(shortened(names, _NAMES))}", _LONGEST)


def _versions(change: PackageChange) -> str:
    return f"{change.name} {f'{change.old} → {change.new}'.strip(' →')}"


def _row_line(row: StepRow) -> str:
    size = f", {byte_size(row.fetch_bytes)} to fetch" if row.fetch_bytes else ""
    return plain(f"{row.what} {row.versions}{size}{f' ({row.why})' if row.why else ''}", _LONGEST)


def _choice_line(choice: PlanChoice) -> str:
    answers = ", ".join(option.answer for option in choice.options)
    return plain(f"  ? {choice.key}: {choice.answer} (of {answers})")
