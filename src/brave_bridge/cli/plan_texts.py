"""A plan in plain lines, grouped as on the screen: what wants a decision or a look comes first."""

from collections.abc import Iterable, Iterator

from brave_bridge.core.formats.text import byte_size, counted, plain, shortened
from brave_bridge.core.packages.changes import LegPlan, PackageChange
from brave_bridge.core.packages.choices import OBSOLETE, RESTART, STAYS, PlanChoice
from brave_bridge.core.packages.grouping import BY_HAND, COMING, MATTERS, ChangeGroup, group_changes
from brave_bridge.core.packages.roles import Roles
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.roles import known_roles

_NAMES, _REASONS = 8, 12
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
        self.most = 10**9 if everything else 0

    def lines(self) -> Iterator[str]:
        """All of them, in the order in which they want to be read."""
        yield from self._head()
        yield from self._decisions()
        yield from self._sources()
        groups = group_changes(self.plan, self.roles)
        for group in sorted(groups, key=lambda g: (not g.grave, g.name not in _EACH)):
            yield from self._group(group)
        yield from self._left_over()
        yield from self._restarts()
        if self.plan.skipping is not None:
            yield plain(f"  straight to {self.plan.leg.end.title}? {self.plan.skipping.sentence}")

    def _head(self) -> Iterator[str]:
        plan = self.plan
        yield f"{plan.leg.start.title} to {plan.leg.end.title}"
        yield (
            f"  {counted(len(plan.upgraded), 'package')} upgraded, {len(plan.new)} new, "
            f"{len(plan.lost) or 'nothing'} would go away, {len(plan.kept_back)} kept back"
        )
        grows = "more" if plan.disk_bytes >= 0 else "less"
        yield (
            f"  {byte_size(plan.download_bytes)} to download, "
            f"{byte_size(abs(plan.disk_bytes))} {grows} on disk"
        )

    def _decisions(self) -> Iterator[str]:
        plan = self.plan
        yield from (f"  ■ now: {plain(fault)}" for fault in plan.unsound)
        yield from (f"  ? {plain(price.words)}" for price in plan.prices)
        for choice in plan.choices:
            if choice.kind not in (OBSOLETE, RESTART):
                yield _choice_line(choice)
        for question in plan.questions:
            keep = "your version stays" if question.answer == "mine" else "the new one is taken"
            yield plain(f"  ? {question.path}: {keep} (or --theirs {question.path})")

    def _sources(self) -> Iterator[str]:
        for source in self.plan.sources:
            if source.outcome != "unchanged":
                arrow = f"{source.old_suite} → {source.new_suite}".rstrip(" →")
                yield plain(f"  source {source.outcome}: {source.uri} {arrow} ({source.reason})")

    def _group(self, group: ChangeGroup) -> Iterator[str]:
        mark = "▲" if group.grave else "●"
        if group.grave:
            yield f"  {mark} {group.words}:"
            yield from self._by_reason(group.changes)
        elif group.name in _EACH:
            yield f"  {mark} {group.words}:"
            yield from (f"      {self._with_role(change)}" for change in group.changes)
        else:
            names = [change.name for change in group.changes]
            most = max(self.most, _NAMES if group.name in (BY_HAND, COMING) else 3)
            yield plain(f"  {mark} {group.words}: {', '.join(shortened(names, most))}", 4000)

    def _with_role(self, change: PackageChange) -> str:
        role = self.roles.of(change.name)
        words = f" ({role.name}: {role.after})" if role else ""
        return plain(f"{_versions(change)}{words}")

    def _by_reason(self, changes: Iterable[PackageChange]) -> Iterator[str]:
        """One reason that serves several packages is said once."""
        by_reason: dict[str, list[PackageChange]] = {}
        for change in changes:
            by_reason.setdefault(change.reason, []).append(change)
        most = max(self.most, _REASONS)
        for reason, alike in list(by_reason.items())[:most]:
            names = [_versions(change) for change in alike]
            yield plain(
                f"      {', '.join(shortened(names, max(self.most, _NAMES)))}: {reason}", 2000
            )
        if len(by_reason) > most:
            left = sum(len(alike) for alike in list(by_reason.values())[most:])
            yield f"      and {left} more for other reasons (--all lists them)"

    def _left_over(self) -> Iterator[str]:
        """What no source has any more: one line for all that stay as they are."""
        left = [choice for choice in self.plan.choices if choice.kind == OBSOLETE]
        stay = [choice for choice in left if choice.answer == STAYS]
        yield from (_choice_line(choice) for choice in left if choice.answer != STAYS)
        if stay:
            names = ", ".join(shortened([c.subject for c in stay], max(self.most, _NAMES)))
            words = counted(len(stay), "package")
            yield plain(f"  ● {words} that no source has any more: stay ({names})", 4000)
            yield "      each can go with the leg: --choose 'obsolete NAME=goes'"

    def _restarts(self) -> Iterator[str]:
        services = [choice for choice in self.plan.choices if choice.kind == RESTART]
        if services:
            names = ", ".join(f"{c.subject} {c.answer}" for c in services)
            yield plain(f"  ● {counted(len(services), 'service')} will restart: {names}", 2000)


def _versions(change: PackageChange) -> str:
    return f"{change.name} {f'{change.old} → {change.new}'.strip(' →')}"


def _choice_line(choice: PlanChoice) -> str:
    answers = ", ".join(option.answer for option in choice.options)
    return plain(f"  ? {choice.key}: {choice.answer} (of {answers})")
