"""The Route page: which way, and why not straight?"""

from brave_bridge.core.releases.route import Route
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("release", 22),
    Column("legs", 5, right=True),
    Column("out since", 11),
    Column("supported to", 13),
    Column("by way of"),
)


def route_page(record: MachineRecord) -> Page:
    """Every later release with the route there; the goal is marked."""
    surveyed = record.surveyed
    hints = (("Enter", "make it the goal"), ("p", "plan"), ("x", "export the bridge"))
    if surveyed is None or surveyed.release is None:
        return Page(
            "no route", COLUMNS, (), "The release is not known, so no way can be found.", hints
        )
    rows = [_row(route, record) for route in record.routes]
    line = surveyed.line
    summary = f"from {line.name} {surveyed.release.title} · rule: {line.rule}"
    return Page(
        summary,
        COLUMNS,
        tuple(rows),
        f"{surveyed.release.title} is the newest release of {line.name}.",
        hints,
    )


def _row(route: Route, record: MachineRecord) -> Row:
    is_goal = record.goal is not None and record.goal.key == route.end.key
    end = route.end
    mark = "◉" if is_goal else ("●" if route.legs else "■")
    return Row(
        key=end.key,
        cells=(
            mark,
            end.title + (" · long-term" if end.long_term else ""),
            str(len(route.legs)) if route.legs else "–",
            str(end.released or "not yet"),
            str(end.support_ends or "–"),
            _way(route),
        ),
        tone="chosen" if is_goal else ("plain" if route.legs else "quiet"),
        why=_why(route, is_goal),
        action="goal" if route.legs else "",
    )


def _way(route: Route) -> str:
    if not route.legs:
        return route.refused[0].reason if route.refused else "no supported leg"
    stops = [leg.end.title for leg in route.legs[:-1]]
    return ", then ".join(stops) if stops else "directly"


def _why(route: Route, is_goal: bool) -> tuple[Note, ...]:
    notes = [title(route.title if route.legs else f"{route.end.title} is out of reach")]
    for number, leg in enumerate(route.legs, start=1):
        notes.append(Note("seen", f"leg {number}: {leg.start.title} → {leg.end.title}"))
        notes += said(*leg.notes)
    notes += said(*(f"■ {refused.reason}" for refused in route.refused))
    if route.legs and not is_goal:
        notes.append(Note("do", "Enter makes it the goal"))
    return tuple(notes)
