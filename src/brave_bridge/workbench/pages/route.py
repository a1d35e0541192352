"""The Route page: which way, and why not straight?"""

from datetime import date

from brave_bridge.core.formats.text import counted
from brave_bridge.core.releases.catalogue import Leg, Release
from brave_bridge.core.releases.route import Route
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, heading, said, title
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("release", 28),
    Column("legs", 5, right=True),
    Column(" out since", 11),
    Column("supported to", 13),
    Column("by way of"),
)


def route_page(record: MachineRecord, today: date) -> Page:
    """Every later release with the route there, then the goal's legs one by one."""
    surveyed = record.surveyed
    hints = (("Enter", "make it the goal"), ("p", "plan"), ("x", "export the bridge"))
    if surveyed is None or surveyed.release is None:
        return Page(
            "no route", COLUMNS, (), "The release is not known, so no way can be found.", hints
        )
    line = surveyed.line
    goal = record.goal.key if record.goal else ""
    rows = [_row(route, goal, line.rule, today) for route in record.routes]
    rows += _legs_of_goal(record, line.rule)
    return Page(
        f"from {line.name} {surveyed.release.title}",
        COLUMNS,
        tuple(rows),
        f"{surveyed.release.title} is the newest release of {line.name}.",
        hints,
        start=goal,
    )


def _row(route: Route, goal: str, rule: str, today: date) -> Row:
    end = route.end
    is_goal = end.key == goal
    mark = "◉" if is_goal else ("●" if route.legs else "■")
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
        tone="chosen" if is_goal else ("plain" if route.legs else "quiet"),
        why=_why(route, is_goal, rule, today),
        action="goal" if route.legs else "",
    )


def _way(route: Route) -> str:
    if not route.legs:
        return route.refused[0].reason if route.refused else "no supported leg"
    stops = [leg.end.title for leg in route.legs[:-1]]
    return ", then ".join(stops) if stops else "directly"


def _why(route: Route, is_goal: bool, rule: str, today: date) -> tuple[Note, ...]:
    end = route.end
    notes = [title(route.title if route.legs else f"{end.title} is out of reach")]
    notes += said(_supported(end, today), f"It brings kernel series {end.kernel}."
                  if end.kernel else "")  # fmt: skip
    notes += [Note("seen", f"leg {number}: {leg.start.title} → {leg.end.title}")
              for number, leg in enumerate(route.legs, start=1)]  # fmt: skip
    notes += said("", *(f"■ {refused.reason}" for refused in route.refused))
    if not route.refused:
        notes += said(f"The rule: {rule}.")
    if route.legs and not is_goal:
        notes.append(Note("do", "Enter makes it the goal"))
    if is_goal:
        notes.append(Note("do", "p plans it; nothing is changed by that"))
        notes.append(Note("code", f"brave-bridge plan --to {end.key}"))
    return tuple(notes)


def _supported(end: Release, today: date) -> str:
    days = end.support_days(today)
    if days is None:
        return ""
    if days < 0:
        return f"Its support ended {counted(-days, 'day')} ago."
    return f"Supported for another {counted(days, 'day')}."


def _legs_of_goal(record: MachineRecord, rule: str) -> list[Row]:
    route = record.route
    if route is None or not route.legs:
        return []
    words = "leg by leg" if len(route.legs) > 1 else "in one leg"
    return [
        heading(f"the way to {route.end.title}, {words}", len(COLUMNS)),
        *(_leg_row(number, leg, rule) for number, leg in enumerate(route.legs, start=1)),
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


def _leg_row(number: int, leg: Leg, rule: str) -> Row:
    notes = leg.notes
    return Row(
        key=f"leg:{number}",
        cells=(
            str(number),
            f"{leg.start.version} → {leg.end.title}",
            "",
            f" {leg.end.released or ''}",
            str(leg.end.support_ends or ""),
            counted(len(notes), "note") + " on this leg",
        ),
        why=(
            title(f"{leg.start.title} to {leg.end.title}"),
            *said(*notes, f"The rule: {rule}."),
        ),
    )
