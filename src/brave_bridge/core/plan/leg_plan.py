"""The plan of one leg: its steps in order, the questions that change it, what a person wants."""

from collections.abc import Iterator
from typing import TypeVar

import msgspec

from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.choices import PlanChoice
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.any_step import AnyStep
from brave_bridge.core.plan.steps import ConfigsStep, PackagesStep, PlanStep, SourcesStep
from brave_bridge.core.releases.catalogue import Leg

_Step = TypeVar("_Step", bound=PlanStep)


class LegPlan(msgspec.Struct, frozen=True, kw_only=True):
    """What one leg would change.

    ``steps`` stand in the order in which they are carried out. ``made_at`` is ISO 8601 in UTC.
    ``preferences`` are what the person wanted of it; ``choices`` are the questions whose answers
    change it.
    """

    leg: Leg
    steps: tuple[AnyStep, ...]
    made_at: str
    choices: tuple[PlanChoice, ...] = ()
    preferences: Preferences = Preferences()

    def step(self, kind: type[_Step]) -> _Step | None:
        """The step of a kind; None where the leg has none."""
        return next((step for step in self.steps if isinstance(step, kind)), None)

    @property
    def sources(self) -> SourcesStep:
        """What becomes of the sources; nothing where the leg leaves them alone."""
        return self.step(SourcesStep) or SourcesStep()

    @property
    def packages(self) -> PackageChanges:
        """What happens to packages; nothing where the leg is none of packages."""
        step = self.step(PackagesStep)
        return step.changes if step else PackageChanges()

    @property
    def configs(self) -> ConfigsStep:
        """What is decided about config files."""
        return self.step(ConfigsStep) or ConfigsStep()

    @property
    def download_bytes(self) -> int:
        """What has to be fetched."""
        return sum(step.fetch_bytes for step in self.steps)

    @property
    def disk_bytes(self) -> int:
        """What the system grows by, negative where it shrinks."""
        return sum(step.disk_bytes for step in self.steps)

    @property
    def other_steps(self) -> Iterator[AnyStep]:
        """The steps that their rows alone show: not of packages, sources and config files."""
        yield from (step for step in self.steps if not step.is_listed_apart)

    def approved_by(self) -> Iterator[str]:
        """What its approval stands for, step by step."""
        yield f"leg {self.leg.key}"
        for step in self.steps:
            yield from step.approved_by()

    def with_step(self, step: AnyStep) -> "LegPlan":
        """The plan with a step in the place of the one of its kind; behind all where none is."""
        kind = type(step)
        if self.step(kind) is None:
            return msgspec.structs.replace(self, steps=(*self.steps, step))
        steps = tuple(step if type(known) is kind else known for known in self.steps)
        return msgspec.structs.replace(self, steps=steps)

    def with_packages(self, changes: PackageChanges) -> "LegPlan":
        """The plan with other changes of packages; all else stays."""
        return self.with_step(PackagesStep(changes=changes))

    def with_answer(self, path: str, answer: str, by: str = "person") -> "LegPlan":
        """The plan with one config question answered ``mine`` or ``theirs``."""
        if not any(question.path == path for question in self.configs.questions):
            return self
        return self.with_step(self.configs.with_answer(path, answer, by))

    def with_preference(self, kind: str, slot: str) -> "LegPlan":
        """The plan with one more preference about a package, and what was agreed changed by it.

        For a plan that is under way: nothing else is worked out anew here.
        """
        preferences, changes = self.preferences, self.packages
        if slot not in getattr(preferences, kind):
            preferences = preferences.toggled(kind, slot)
        agreed = (*changes.upgraded, *changes.new, *changes.removed)
        planned = next((change for change in agreed if change.name == slot), None)

        def without(changes: tuple[PackageChange, ...]) -> tuple[PackageChange, ...]:
            return tuple(change for change in changes if change.name != slot)

        gone = changes.removed if kind == "let_go" else without(changes.removed)
        kept = changes.kept_back if kind in ("let_go", "protect") else without(changes.kept_back)
        if planned is not None and planned.old and kind == "exclude":
            kept += (msgspec.structs.replace(planned, reason="you leave it alone"),)
        if planned is not None and planned.old and kind == "remove":
            gone += (msgspec.structs.replace(planned, new="", reason="you want it to go"),)
        ends = kind in ("exclude", "remove")
        anew = msgspec.structs.replace(
            changes,
            kept_back=kept,
            removed=gone,
            upgraded=without(changes.upgraded) if ends else changes.upgraded,
            new=without(changes.new) if ends else changes.new,
        )
        return msgspec.structs.replace(self.with_packages(anew), preferences=preferences)
