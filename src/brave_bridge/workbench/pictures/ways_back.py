"""The ways back on a time line: how old, until when, how large, what a return would lose."""

from collections.abc import Sequence
from datetime import date, datetime

from brave_bridge.core.formats.text import byte_size, counted
from brave_bridge.drawings.chart import Bar, Chart, Lane, Line, Mark, TimeAxis, shares
from brave_bridge.workbench.way_back import WayBack

LEGEND = (
    ("▁▃▅█", "what came since and a return would lose"),
    ("◆", "pinned"),
    ("◇", "kept by the rules"),
    ("╳", "damaged"),
    ("┤", "its last day"),
    ("█", "the size of its own"),
    ("░", "what it shares"),
)
_SIZE_SHARE = 0.24


def ways_back_picture(ways: Sequence[WayBack], today: date) -> Chart:
    """A lane for each, the newest first: its wedge of loss on the time axis, then its size."""
    if not ways:
        return Chart("No way back", telling="■ there is no way back")
    made = [_day(way.kept.snapshot.created) for way in ways]
    ends = [_day(way.kept.keeping.deadline) for way in ways if way.kept.keeping.deadline]
    axis = TimeAxis.around([*made, *ends], today, least_days=14)
    sizes = [_sizes(way) for way in ways]
    largest = shares([own + shared for own, shared in sizes])
    lanes = [
        _lane(way, axis, today, size, share)
        for way, size, share in zip(ways, sizes, largest, strict=True)
    ]
    return Chart(
        title="Ways back",
        lanes=tuple(reversed(lanes)),
        ticks=tuple((_part(at), words) for at, words in axis.ticks),
        lines=(Line(_part(axis.at(today)), "today"),),
        telling=_telling(ways, today),
        legend=LEGEND,
    )


def _part(at: float) -> float:
    """A place on the time axis, which leaves room for the sizes."""
    return at * (1 - _SIZE_SHARE - 0.04)


def _lane(way: WayBack, axis: TimeAxis, today: date, size: tuple[int, int], share: float) -> Lane:
    snapshot, keeping = way.kept.snapshot, way.kept.keeping
    made = _day(snapshot.created)
    is_whole = way.kept.is_whole
    tone = "plain" if is_whole else "stop"
    bars = [Bar(_part(axis.at(made)), _part(axis.at(today)), "rising", tone)]
    own, shared = size
    if own + shared:
        start = 1 - _SIZE_SHARE
        middle = start + _SIZE_SHARE * share * own / (own + shared)
        bars += [
            Bar(start, middle, "solid", "clear"),
            Bar(middle, start + _SIZE_SHARE * share, "dotted", "quiet"),
        ]
    symbol = "╳" if not is_whole else "◆" if keeping.pinned else "◇"
    marks = [Mark(_part(axis.at(made)), symbol, "stop" if not is_whole else "chosen")]
    if keeping.deadline:
        soon = way.days_left is not None and way.days_left < 7
        day = _part(axis.at(_day(keeping.deadline)))
        marks.append(Mark(day, "┤", "caution" if soon else "quiet"))
    return Lane(
        key=snapshot.id,
        name=snapshot.created[:10],
        bars=tuple(bars),
        marks=tuple(marks),
        note=byte_size(own + shared) if own + shared else "",
        tone=tone,
    )


def _sizes(way: WayBack) -> tuple[int, int]:
    use = way.kept.use
    return (use.alone, use.shared) if use else (0, 0)


def _day(moment: str) -> date:
    return datetime.fromisoformat(moment).date()


def _telling(ways: Sequence[WayBack], today: date) -> str:
    whole = [way for way in ways if way.kept.is_whole]
    if not whole:
        return "■ no way back is whole"
    days = (today - _day(whole[-1].kept.snapshot.created)).days
    age = f"{counted(days, 'day')} old" if days else "made today"
    ending = [way for way in whole if way.days_left is not None and way.days_left < 14]
    ends = f"; {counted(len(ending), 'one', 'of them')} will end within two weeks" if ending else ""
    return f"◇ {counted(len(whole), 'way', 'ways')} back, the newest {age}{ends}"
