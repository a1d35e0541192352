"""What a topic is compared within: the other topics, and what the legs were to change."""

from collections.abc import Callable, Iterable, Iterator

import msgspec

from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.difference import (
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
    PlannedChange,
)
from brave_bridge.core.survey.topic import TopicSeen

Compare = Callable[[TopicSeen, TopicSeen, "Around"], Iterator[Difference]]
NOTHING = TopicSeen("", {}, "", "it was not read")


class Around(msgspec.Struct, frozen=True):
    """All topics before and after, by name, the plans of the legs, and the day of the proof."""

    before: dict[str, TopicSeen]
    after: dict[str, TopicSeen]
    plans: tuple[LegPlan, ...] = ()
    today: str = ""

    def topic(self, name: str) -> tuple[TopicSeen, TopicSeen]:
        """Another topic, before and after; an empty one where it was not read."""
        return self.before.get(name, NOTHING), self.after.get(name, NOTHING)

    def change_of_unit(self, unit: str) -> PlannedChange | None:
        """The plan's change of the package that ships a unit and goes away or changes."""
        for number, plan in enumerate(self.plans):
            for service in plan.packages.services:
                if service.unit == unit:
                    return PlannedChange(number, service.package)
        return None

    def change_of(self, package: str) -> PlannedChange | None:
        """The plan's change of a package that changes, comes or goes."""
        for number, plan in enumerate(self.plans):
            changes = plan.packages
            for change in (*changes.arriving, *changes.removed):
                if change.name.partition(":")[0] == package:
                    return PlannedChange(number, change.name)
        return None

    def removal_of(self, *names: str) -> PlannedChange | None:
        """The plan's change of a package that goes away and has one of these names in its own."""
        for number, plan in enumerate(self.plans):
            for change in plan.packages.removed:
                if any(name and name in change.name for name in names):
                    return PlannedChange(number, change.name)
        return None


def keys(before: TopicSeen, after: TopicSeen) -> Iterable[str]:
    """All names of both, those of before first."""
    return dict.fromkeys((*before.values, *after.values))


def by_name(
    before: TopicSeen,
    after: TopicSeen,
    *,
    gone: str = REGRESSION,
    changed: str = UNEXPLAINED,
    new: str = EXPECTED,
    kind: str = SURFACE,
) -> Iterator[Difference]:
    """Name by name: the verdict for what is gone, changed and new; the same stays the same."""
    for name in keys(before, after):
        old, now = before.values.get(name), after.values.get(name)
        if old == now:
            yield Difference(name, old or "", now or "", SAME, topic=before.name)
        elif now is None:
            why = "it is not there any more"
            yield point(before, name, old or "", "gone", gone, why, kind=kind)
        elif old is None:
            yield point(before, name, "none", now or "there", new)
        else:
            yield point(before, name, old, now, changed, "it is another now", kind=kind)


def point(
    topic: TopicSeen,
    subject: str,
    before: str,
    after: str,
    verdict: str,
    meaning: str = "",
    *,
    kind: str = "",
    because: PlannedChange | None = None,
) -> Difference:
    """A compared point of a topic; only what is worse is of a kind."""
    return Difference(
        subject,
        before or "there",
        after,
        verdict,
        meaning,
        topic.name,
        kind if verdict == REGRESSION else "",
        because,
    )
