"""The load on the bridge: what a plan changes by weight, what goes away first, and the room."""

from collections.abc import Iterable

from brave_bridge.core.formats.text import byte_size, counted
from brave_bridge.core.packages.grouping import (
    AHEAD,
    BASE,
    BY_HAND,
    COMING,
    GONE,
    KEPT_BACK,
    MATTERS,
    ORDINARY,
    PINNED,
    SUCCEEDED,
    ChangeGroup,
    group_changes,
)
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.amounts import what_else_changes
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import PackagesStep
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.room import needs_at
from brave_bridge.core.versions.deb import upstream_series
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark, shares
from brave_bridge.workbench.pictures import exchanged
from brave_bridge.workbench.record import KeptPlan, MachineRecord

_ROOM = (("▓", "room in use"), ("░", "room still free after it"))
LEGEND = (
    ("█", "packages"),
    ("▒", "bytes to fetch"),
    ("▲", "a new major version among them"),
    *_ROOM,
)
_NAMES = {
    GONE: "goes away",
    KEPT_BACK: "kept back",
    MATTERS: "matters",
    BY_HAND: "by hand",
    COMING: "new",
    BASE: "base",
    ORDINARY: "beside",
    SUCCEEDED: "succeeded",
    AHEAD: "newer here",
    PINNED: "pinned",
}
_TONES = {
    GONE: "stop",
    KEPT_BACK: "caution",
    MATTERS: "caution",
    AHEAD: "caution",
    PINNED: "caution",
}
_FIRST = (GONE, KEPT_BACK, PINNED, MATTERS, BY_HAND, COMING, SUCCEEDED, AHEAD, BASE, ORDINARY)


def plan_picture(record: MachineRecord, plan: KeptPlan, roles: Roles) -> Chart:
    """The chart of a machine's plan."""
    return plan_chart(record.surveyed.facts if record.surveyed else None, plan, roles)


def plan_chart(facts: Facts | None, plan: KeptPlan, roles: Roles) -> Chart:
    """A lane for each group of changes, what goes away first; then the file systems."""
    lanes = [
        lane
        for number, leg in enumerate(plan.legs)
        for lane in (
            *exchanged.exchange_lanes(facts, leg, number),
            *_changes(leg, number, roles),
            *_room(facts, leg, number),
        )
    ]
    several = len(plan.legs) > 1
    return Chart(
        title=f"{plan.legs[0].leg.start.title} to {plan.legs[-1].leg.end.title}: what changes"
        + (", leg by leg" if several else ""),
        lanes=tuple(lanes),
        telling=telling(plan),
        legend=_legend(plan),
    )


def _legend(plan: KeptPlan) -> tuple[tuple[str, str], ...]:
    of_packages = any(leg.step(PackagesStep) for leg in plan.legs)
    return LEGEND if of_packages else (*exchanged.LEGEND, *_ROOM)


def telling(plan: KeptPlan) -> str:
    """What weighs most, in one line."""
    legs = plan.legs
    if not any(leg.step(PackagesStep) for leg in legs):
        return f"● {what_else_changes(legs)}"
    gone = sum(len(leg.packages.lost) for leg in legs)
    kept = sum(len(leg.packages.kept_back) for leg in legs)
    jumps = sum(len(leg.packages.jumps) for leg in legs)
    fetched = byte_size(sum(leg.download_bytes for leg in legs))
    words = [f"{gone} would go away", f"{kept} kept back", f"{counted(jumps, 'major jump')}"]
    mark = "▲" if gone or kept else "●"
    return f"{mark} {', '.join(words)}; {fetched} to fetch"


def _changes(leg: LegPlan, number: int, roles: Roles) -> Iterable[Lane]:
    groups = {group.name: group for group in group_changes(leg.packages, roles)}
    ordered = [groups[name] for name in _FIRST if name in groups]
    counts = shares([len(group.changes) for group in ordered])
    sizes = [sum(change.download_bytes for change in group.changes) for group in ordered]
    # The bytes stand behind the packages, so that both are read off one line.
    for group, count, size in zip(ordered, counts, shares(sizes), strict=True):
        yield _lane(group, number, count, size)


def _lane(group: ChangeGroup, number: int, count: float, size: float) -> Lane:
    keys = tuple(f"package:{number}:{change.name}" for change in group.changes)
    fetched = sum(change.download_bytes for change in group.changes)
    tone = _TONES.get(group.name, "plain")
    jumps = [change for change in group.changes if change.major]
    bars = [Bar(0.0, 0.55 * count, "solid", tone)]
    if size:
        bars.append(Bar(0.58, 0.58 + 0.42 * size, "light", "quiet"))
    marks = [Mark(0.55 * count + 0.015, "▲", "caution", _jump_words(jumps))] if jumps else []
    note = f"{len(group.changes)} · {byte_size(fetched)}" if fetched else str(len(group.changes))
    return Lane(
        key=f"fold:{number}:{group.name}" if group.folded else keys[0],
        rows=keys,
        name=_NAMES.get(group.name, group.name),
        bars=tuple(bars),
        marks=tuple(marks),
        note=note,
        tone=tone,
    )


def _jump_words(jumps: list) -> str:
    words = [f"{jump.name} {'→'.join(_series(jump.old, jump.new))}" for jump in jumps[:2]]
    more = f" and {len(jumps) - 2} more" if len(jumps) > 2 else ""
    return ", ".join(words) + more


def _series(old: str, new: str) -> tuple[str, str]:
    """Both versions as far as to the number in which they differ."""
    for numbers in range(1, 5):
        pair = upstream_series(old, numbers), upstream_series(new, numbers)
        if pair[0] != pair[1]:
            return pair
    return old, new


def _room(facts: Facts | None, leg: LegPlan, number: int) -> Iterable[Lane]:
    for space in facts.space if facts else ():
        fetch, grow = needs_at(facts, space.path, leg.download_bytes, leg.disk_bytes)
        if not fetch + grow or not space.total_bytes:
            continue
        used = 1 - space.free_bytes / space.total_bytes
        peak = used + (fetch + grow) / space.total_bytes
        after = used + grow / space.total_bytes
        enough = peak < 1
        bars = (
            Bar(0.0, used, "dense", "quiet"),
            Bar(used, min(peak, 1.0), "solid", "caution" if enough else "stop"),
            Bar(min(peak, 1.0), 1.0, "dotted", "quiet"),
        )
        yield Lane(
            key=f"room:{number}:{space.path}",
            name=f"room {space.path}",
            bars=bars,
            marks=(Mark(min(max(after, 0.0), 1.0), "┃", "chosen"),),
            note=f"{byte_size(space.free_bytes)} free",
            tone="plain" if enough else "stop",
        )
