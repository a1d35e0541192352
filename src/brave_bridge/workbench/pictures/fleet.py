"""The tide table of a fleet: whose support ends when, and who needs somebody."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime, timedelta

from brave_bridge.core.formats.text import counted
from brave_bridge.core.releases.catalogue import Release
from brave_bridge.core.releases.conditions import FULL
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark, TimeAxis
from brave_bridge.workbench.record import MachineRecord

_MOST_LANES = 24
_SOON_DAYS = 120
LEGEND = (
    ("█", "fixes"),
    ("▒", "security fixes alone, by others, or paid for"),
    ("░", "none any more"),
    ("◇", "way back ends"),
    ("◆", "kernel series ends"),
)


def fleet_picture(records: Sequence[MachineRecord], today: date) -> Chart:
    """A lane for each machine in the order of the list; a large fleet by line and release."""
    days = [day for record in records for day in _days(record)]
    axis = TimeAxis.around([day for day in days if abs((day - today).days) < 4000], today)
    groups = _by_release(records) if len(records) > _MOST_LANES else [[one] for one in records]
    return Chart(
        title="Support of the fleet",
        lanes=tuple(_lane(group, axis, today) for group in groups),
        ticks=axis.ticks,
        lines=(axis.line(today),),
        telling=telling(records, today),
        legend=LEGEND,
    )


def telling(records: Iterable[MachineRecord], today: date) -> str:
    """Whose support ends first."""
    ends = sorted(
        (release.support_ends, record.name)
        for record in records
        if (release := _release(record)) is not None and release.support_ends
    )
    past = [name for day, name in ends if day < today]
    if past:
        return f"■ {counted(len(past), 'machine')} without fixes: {', '.join(past[:4])}"
    if not ends:
        return "○ no end of support is known"
    day, name = ends[0]
    return f"● the first support to end: {name}, in {counted((day - today).days, 'day')}"


def _release(record: MachineRecord) -> Release | None:
    return record.surveyed.release if record.surveyed else None


def _days(record: MachineRecord) -> Iterable[date]:
    release = _release(record)
    for known in (release, record.goal):
        if known is not None and known.support_ends:
            yield known.support_ends
    if release is not None and release.support_ends and release.released:
        yield max(release.released, release.support_ends - timedelta(days=1095))


def _by_release(records: Sequence[MachineRecord]) -> list[list[MachineRecord]]:
    groups: dict[str, list[MachineRecord]] = {}
    for record in records:
        groups.setdefault(_stands(record), []).append(record)
    return list(groups.values())


def _stands(record: MachineRecord) -> str:
    surveyed = record.surveyed
    if surveyed is None:
        return "cannot be read" if record.fault else "being read"
    line, release = surveyed.line, surveyed.release
    return f"{line.name} {release.version}" if line and release else surveyed.facts.identity.name


def _lane(group: list[MachineRecord], axis: TimeAxis, today: date) -> Lane:
    first = group[0]
    release = _release(first)
    urgent = sum(record.next.urgency == 2 for record in group)
    mark = "▲ " if urgent else ""
    name = first.name if len(group) == 1 else f"{_stands(first)} ×{len(group)}"
    return Lane(
        key=first.name,
        rows=tuple(record.name for record in group),
        name=f"{mark}{name}",
        bars=tuple(support_bars(release, axis, today)) if release else (),
        marks=tuple(_marks(group, axis, today)),
        note=_note(first, release, today),
        tone="caution" if urgent else "plain",
    )


def support_bars(release: Release, axis: TimeAxis, today: date) -> Iterable[Bar]:
    """A release's support from its first day on, its phases told apart, and what lies behind."""
    begins = axis.at(release.released) if release.released else 0.0
    if release.support_ends is None:
        yield Bar(begins, 1.0, "dotted", "quiet")
        return
    for phase in release.phases:
        ends = axis.at(phase.ends)
        yield Bar(begins, ends, "solid" if phase.kind == FULL else "light", _tone(release, today))
        begins = max(begins, ends)
    ends = axis.at(release.support_ends)
    if begins < ends:
        yield Bar(begins, ends, "solid", _tone(release, today))
    if release.support_ends < today:
        yield Bar(ends, axis.at(today), "dotted", "stop")


def _tone(release: Release, today: date) -> str:
    days = release.support_days(today)
    if days is None:
        return "quiet"
    return "stop" if days < 0 else "caution" if days <= _SOON_DAYS else "clear"


def _marks(group: list[MachineRecord], axis: TimeAxis, today: date) -> Iterable[Mark]:
    goal = group[0].goal
    if goal is not None and goal.support_ends:
        words = f"→ {goal.version}" if len(group) == 1 else ""
        yield Mark(axis.at(goal.support_ends), "╪", "quiet", words)
    for record in group:
        for way in record.ways_back[-1:]:
            if way.kept.keeping.deadline:
                day = datetime.fromisoformat(way.kept.keeping.deadline).date()
                yield Mark(axis.at(day), "◇", "chosen")
        surveyed = record.surveyed
        if surveyed and surveyed.line:
            series = surveyed.facts.standing("kernel").value
            ends = surveyed.line.kernel_ends(series)
            if ends is not None:
                yield Mark(axis.at(ends), "◆", "caution" if ends < today else "plain")


def _note(record: MachineRecord, release: Release | None, today: date) -> str:
    if release is None:
        return "cannot be read" if record.fault else "" if record.surveyed else "being read …"
    days = release.support_days(today)
    if days is None:
        return "no end known"
    return f"{days} d left" if days >= 0 else f"none for {-days} d"
