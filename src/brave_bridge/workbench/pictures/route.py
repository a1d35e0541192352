"""The route on a time axis: releases with their support, and which of them legs lead to."""

from datetime import date

from brave_bridge.core.formats.text import counted
from brave_bridge.core.releases.catalogue import Release
from brave_bridge.core.releases.route import Route
from brave_bridge.drawings.chart import Chart, Lane, Mark, TimeAxis
from brave_bridge.workbench.pictures.fleet import support_bars
from brave_bridge.workbench.record import MachineRecord

LEGEND = (
    ("█", "fixes"),
    ("▒", "security fixes alone, by others, or paid for"),
    ("◉", "here"),
    ("╪", "out, reached by a leg"),
    ("╳", "closed"),
)


def route_picture(record: MachineRecord, today: date) -> Chart:
    """The present release, then every later stop with the legs that lead there."""
    surveyed = record.surveyed
    if surveyed is None or surveyed.release is None:
        return Chart("No route", telling="○ the release is not known")
    here = surveyed.routes.here if surveyed.routes else surveyed.release
    scale = surveyed.routes.line.scale if surveyed.routes else "release"
    ways = [way for way in record.routes if way.start.key == here.key]
    known = [here, *(way.end for way in ways)]
    days = [day for stop in known for day in (stop.released, stop.support_ends) if day]
    axis = TimeAxis.around(days, today)
    goal = record.goal.key if record.goal else ""
    lanes = [_here(here, axis, today), *(_lane(way, axis, today, goal) for way in ways)]
    return Chart(
        title=f"From {here.title} on" + (f", on the scale {scale}" if scale != "release" else ""),
        lanes=tuple(lanes),
        ticks=axis.ticks,
        lines=(axis.line(today),),
        telling=_telling(record, here, today),
        legend=LEGEND,
    )


def _here(here: Release, axis: TimeAxis, today: date) -> Lane:
    at = axis.at(here.released) if here.released else 0.0
    bars = tuple(support_bars(here, axis, today))
    return Lane("", here.title, bars, (Mark(at, "◉", "chosen"),), note="here", tone="chosen")


def _lane(way: Route, axis: TimeAxis, today: date, goal: str) -> Lane:
    end = way.end
    is_out = end.released is not None and end.released <= today
    marks = []
    if end.released is not None:
        symbol = "╪" if way.is_open else "╳"
        why = "" if way.is_open else way.why_not
        marks.append(Mark(axis.at(end.released), symbol, "plain" if way.is_open else "stop", why))
    bars = tuple(support_bars(end, axis, today)) if is_out else ()
    if not way.is_open:
        # What cannot be reached is no support; the reason stands in its place.
        bars = ()
    return Lane(
        key=end.key,
        name=end.title,
        bars=bars,
        marks=tuple(marks),
        note=_note(way, is_out),
        tone="chosen" if end.key == goal else "plain" if way.is_open else "quiet",
    )


def _note(way: Route, is_out: bool) -> str:
    if not is_out:
        return "not out yet"
    if not way.is_open:
        return "closed now"
    gained = _gained(way)
    return counted(len(way.legs), "leg") + (f", {gained:+} mo" if gained is not None else "")


def _gained(way: Route) -> int | None:
    """Months of support that a way brings; None where an end is not known."""
    now, then = way.start.support_ends, way.end.support_ends
    return (then - now).days // 30 if now and then else None


def _telling(record: MachineRecord, here: Release, today: date) -> str:
    route = record.route
    if route is None or not route.is_open:
        return f"■ nothing leads on from {here.title} now"
    gained = _gained(route)
    words = f", {gained} months of support gained" if gained is not None else ""
    return f"● {route.title}{words}"
