"""The Route page: which way, and why not straight?"""

from collections.abc import Iterable
from datetime import date

import msgspec

from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.core.releases.catalogue import Leg, Release
from brave_bridge.core.releases.choices import Choice, ClosedLeg
from brave_bridge.core.releases.conditions import LegTask
from brave_bridge.core.releases.route import Route
from brave_bridge.core.releases.standing import scale_of
from brave_bridge.core.survey.known_trouble import HERE, Trouble, concerning
from brave_bridge.workbench.outlook.routes import Routes
from brave_bridge.workbench.pages.page import (
    Column,
    Note,
    OfTask,
    Page,
    Row,
    heading,
    said,
    task_why,
    title,
)
from brave_bridge.workbench.pages.skipping_rows import skipping_rows
from brave_bridge.workbench.pictures.route import route_picture
from brave_bridge.workbench.record import MachineRecord, Surveyed
from brave_bridge.workbench.why_nothing import why_nothing

COLUMNS = (
    Column("", 2),
    Column("release", 30),
    Column("legs", 5, right=True),
    Column(" out since", 11),
    Column("supported to", 13),
    Column("by way of"),
)


def route_page(record: MachineRecord, today: date) -> Page:
    """Every later release with the route there, then the goal's legs one by one."""
    surveyed = record.surveyed
    if surveyed is None or surveyed.release is None:
        return Page("no route", COLUMNS, (), "The release is not known, so no way can be found.")
    line = surveyed.line
    goal = record.goal.key if record.goal else ""
    rows = [*_nothing_offered(surveyed)]
    rows += _reachable(surveyed.standings, record.routes, goal, today)
    rows += _ways_offered(record)
    rows += _legs_of_goal(record, surveyed.routes.line.rule if surveyed.routes else line.rule)
    if record.plan is not None:
        start = record.plan.legs[0].leg.start.title
        rows += skipping_rows(record.plan.legs[-1], start, len(COLUMNS))
    return Page(
        f"from {line.name} {surveyed.release.title}{_track_words(record)}",
        COLUMNS,
        tuple(rows),
        f"{surveyed.release.title} is the newest release of {line.name}.",
        start=goal,
        picture=route_picture(record, today),
    )


def _nothing_offered(surveyed: Surveyed) -> Iterable[Row]:
    """Why no leg can be begun now, with the first thing to do."""
    nothing = why_nothing(surveyed)
    if nothing is not None:
        cells = ("■", "no leg can be begun now", "", "", "", nothing.why)
        why = (title("Why no leg can be begun now"), *said(nothing.why), Note("do", nothing.do))
        yield Row("nothing-offered", cells, "stop", why)


def _reachable(
    standings: tuple[Routes, ...], ways: tuple[Route, ...], goal: str, today: date
) -> Iterable[Row]:
    """Every later stop of each scale; where there are several, each under its name."""
    for routes in standings:
        scale = routes.line.scale
        later = [way for way in ways if scale_of(way.end.key) == scale]
        if len(standings) > 1:
            ahead = "" if later else ", and there is none beyond"
            name = routes.line.name if routes.line.product else scale
            yield heading(f"{name}: {routes.here.title}{ahead}", len(COLUMNS))
        yield from (_row(route, goal, routes.line.rule, today) for route in later)


def _track_words(record: MachineRecord) -> str:
    if record.track is None:
        return ""
    offered = "long-term releases alone are" if record.track.long_term_only else "every release is"
    by = f", by {record.track.setting} (y)" if record.track.setting else " (y changes the track)"
    return f"; {offered} offered{by}"


def _row(route: Route, goal: str, rule: str, today: date) -> Row:
    end = route.end
    is_goal = end.key == goal
    mark = "◉" if is_goal else ("●" if route.is_open else "■")
    return Row(
        key=end.key,
        cells=(
            mark,
            end.title + (" · long-term" if end.long_term else ""),
            str(len(route.legs)) if route.legs else "–",
            f" {end.released or 'not yet'}",
            str(end.support_ends or "–"),
            _way(route),
        ),
        tone="chosen" if is_goal else ("plain" if route.is_open else "quiet"),
        why=_why(route, is_goal, rule, today),
        action="goal" if route.legs else "",
    )


def _way(route: Route) -> str:
    if not route.is_open:
        return route.why_not or "no supported leg"
    stops = [leg.end.title for leg in route.legs[:-1]]
    return ", then ".join(stops) if stops else "directly"


def _why(route: Route, is_goal: bool, rule: str, today: date) -> tuple[Note, ...]:
    end = route.end
    notes = [title(route.title if route.is_open else f"{end.title} is out of reach")]
    notes += said(_supported(end, today), *_reasons(end))
    notes += [
        Note("seen", f"leg {number}: {leg.start.title} → {leg.end.title}")
        for number, leg in enumerate(route.legs, start=1)
    ]
    notes += said("", *(f"■ {refused.reason}" for refused in route.refused))
    notes += said(
        *(f"■ {leg.end.title} is closed to this machine: {leg.reason}" for leg in route.closed)
    )
    if not route.refused:
        notes += said(f"The rule: {rule}.")
    if route.legs and not is_goal:
        notes.append(Note("do", "Enter makes it the goal"))
    if is_goal and route.is_open:
        notes.append(Note("do", "p plans it; nothing is changed by that"))
        notes.append(Note("code", f"brave-bridge plan --to {end.key}"))
    return tuple(notes)


def _reasons(end: Release) -> tuple[str, ...]:
    """Why to go there: what it brings, and what it needs for that."""
    needs = end.needs
    wanted = [
        needs.processor and f"a processor of level {needs.processor}",
        needs.memory_mib and f"{needs.memory_mib} MiB of memory",
        needs.firmware and f"firmware mode {needs.firmware.upper()}",
        needs.security_chip and "a security chip",
        needs.secure_start and "secure start",
        needs.disk_mib and f"{byte_size(needs.disk_mib << 20)} of disk",
    ]
    kernel = f"Kernel series {end.kernel}." if end.kernel else ""
    needed = ", ".join(word for word in wanted if word)
    return (*(f"+ {text}" for text in end.brings), kernel, f"It needs {needed}." if needed else "")


def _supported(end: Release, today: date) -> str:
    days = end.support_days(today)
    if days is None:
        return ""
    if days < 0:
        return f"Its support ended {counted(-days, 'day')} ago."
    phases = "; ".join(f"{phase.words}, until {phase.ends}" for phase in end.phases)
    return f"Supported for another {counted(days, 'day')}. {phases[:1].upper()}{phases[1:]}".strip()


def _ways_offered(record: MachineRecord) -> list[Row]:
    """The shortest, the safest and the lasting way; then the legs that are closed from here."""
    choices = record.choices
    routes = record.surveyed.routes
    here = routes.here if routes else record.surveyed.release
    taken = [leg.key for leg in record.route.legs] if record.route else []
    rows = [_way_row(way, [leg.key for leg in way.legs] == taken) for way in choices.ways]
    rows += [_closed_row(closed) for closed in choices.closed if closed.start.key == here.key]
    return [heading("ways that are offered", len(COLUMNS)), *rows] if rows else []


class OfWay(msgspec.Struct, frozen=True):
    """A way that is offered: where it ends, and whether it is the safest there."""

    end: str
    safest: bool


def _way_row(way: Choice, is_taken: bool) -> Row:
    kinds = ", ".join(way.kinds)
    stops = "".join(f" by way of {leg.end.title}" for leg in way.legs[:-1][:1])
    told = f"to {way.end.title}{stops}" + (f": {way.remarks[0]}" if way.remarks else "")
    return Row(
        key=f"way:{_word(way)}:{way.end.key}",
        of=OfWay(way.end.key, _word(way) == "safest"),
        tone="chosen" if is_taken else "plain",
        cells=(
            "◉" if is_taken else ("▲" if way.remarks else "●"),
            kinds,
            str(len(way.legs)),
            "",
            str(way.end.support_ends or "–"),
            told,
        ),
        why=(
            title(f"The way to {way.end.title}: {kinds}"),
            *(
                Note(
                    "seen",
                    f"{leg.start.title} → {leg.end.title}"
                    + (f", supported to {leg.end.support_ends}" if leg.end.support_ends else ""),
                )
                for leg in way.legs
            ),
            *(Note("text", f"▲ {remark}") for remark in way.remarks),
            Note("do", "It is the one that is taken" if is_taken else "Enter takes this way"),
            Note("code", f"brave-bridge plan --to {way.end.key} --way {_word(way)}"),
        ),
        action="" if is_taken else "way",
    )


def _word(way: Choice) -> str:
    return "safest" if way.asks_for_safest else "shortest"


def _closed_row(closed: ClosedLeg) -> Row:
    return Row(
        key=f"closed:{closed.end.key}",
        cells=("■", f"the leg to {closed.end.title} is closed", "", "", "", closed.reason),
        tone="quiet",
        why=(
            title(f"{closed.start.title} to {closed.end.title} is closed to this machine now"),
            *said(closed.reason),
        ),
    )


def _legs_of_goal(record: MachineRecord, rule: str) -> list[Row]:
    route = record.route
    if route is None or not route.legs:
        return []
    words = "leg by leg" if len(route.legs) > 1 else "in one leg"
    return [
        heading(f"the way to {route.end.title}, {words}", len(COLUMNS)),
        *(
            row
            for number, leg in enumerate(route.legs, start=1)
            for row in _leg_rows(number, leg, rule, record)
        ),
        *(
            Row(
                f"refused:{refused.end}",
                ("■", f"straight to {route.end.title}", "", "", "", "refused"),
                "quiet",
                (title(f"Why not straight to {route.end.title}"), *said(refused.reason)),
            )
            for refused in route.refused
        ),
    ]


def _leg_rows(number: int, leg: Leg, rule: str, record: MachineRecord) -> Iterable[Row]:
    """A leg, then what is known about it for what is installed here."""
    names = {package.name for package in record.surveyed.facts.installed}
    issues = concerning(leg.issues, record.surveyed.facts)
    written = record.surveyed.notes if number == 1 else ()
    told = counted(len(leg.notes) + len(issues) + len(written), "note") + " on this leg"
    page = f"The vendor's page: {leg.page}." if leg.page else ""
    yield Row(
        key=f"leg:{number}",
        cells=(
            str(number),
            f"{leg.start.version} → {leg.end.title}",
            "",
            f" {leg.end.released or ''}",
            str(leg.end.support_ends or ""),
            told,
        ),
        why=(
            title(f"{leg.start.title} to {leg.end.title}"),
            *said(*leg.notes, page, f"The rule: {rule}."),
            Note("do", "i writes a field note about this leg"),
        ),
    )
    for issue in issues:
        yield _issue_row(issue, leg)
    for task in leg.tasks:
        if task.concerns(names):
            yield _task_row(task, leg, record.tasks_done)
    for note in written:
        yield _note_row(note)


def _task_row(task: LegTask, leg: Leg, done: frozenset[str]) -> Row:
    """A step that only a person can do; Enter says that it is done."""
    key = task.key_in(leg.key)
    is_done = key in done
    return Row(
        key=f"task:{key}",
        of=OfTask(key),
        cells=("☑" if is_done else "☐", f"{task.when} the leg: {task.text}", "", "", "", ""),
        tone="quiet" if is_done else "plain",
        why=task_why(task.text, f"To be done by a person, {task.when} {leg.title}.", is_done),
        action="task",
    )


def _issue_row(trouble: Trouble, leg: Leg) -> Row:
    issue = trouble.issue
    is_known = trouble.verdict == HERE
    mark, tone = _MARKS[issue.severity] if is_known else ("▲", "caution")
    seen = f"seen here: {trouble.seen}" if is_known else f"not known here: {trouble.seen}"
    return Row(
        key=f"issue:{leg.key}:{issue.id}",
        cells=(mark, f"known issue: {issue.title}", "", "", "", ""),
        tone=tone,
        why=(
            title(issue.title),
            Note("seen", plain(seen)),
            *said(issue.text),
            *([Note("do", issue.workaround)] if issue.workaround else []),
            *said(issue.page or leg.page, issue.source),
        ),
    )


def _note_row(note: FieldNote) -> Row:
    mark, tone = _MARKS[note.severity]
    return Row(
        key=f"note:{note.id}",
        cells=(mark, f"field note: {plain(note.text)}", "", "", "", ""),
        tone=tone,
        why=(
            title(plain(note.text)),
            Note("seen", f"written on {plain(note.machine)}, {note.written[:10]}"),
            *([Note("do", plain(note.workaround))] if note.workaround else []),
            Note("code", f"brave-bridge note lift {note.id} --reason …"),
        ),
    )


_MARKS = {"note": ("○", "quiet"), "caution": ("▲", "caution"), "wait": ("■", "stop")}
