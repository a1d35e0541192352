"""How far a procedure is, against what was expected: bytes, packages, room and time."""

from __future__ import annotations

from itertools import accumulate
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.drawings.chart import Bar, Chart, Curve, Lane, Mark
from brave_bridge.runner.briefs import CrossBrief, known_brief
from brave_bridge.workbench.outlook.forecast import WAITING, roughly, seconds_between
from brave_bridge.workbench.pictures.measured_work import curve_of_room, curves_of_work
from brave_bridge.workbench.record import Live, MachineRecord

if TYPE_CHECKING:
    from brave_bridge.store.rows import EntryRow

_MARKS = {True: ("●", "clear"), False: ("▲", "caution"), None: ("◌", "chosen")}


def crossing_picture(record: MachineRecord, total: int) -> Chart:
    """Steps over time beside the estimate; ``total`` is about how many steps there will be."""
    live = record.live
    if live is None or not live.entries:
        return Chart("Nothing under way", telling="○ nothing under way")
    # The end of each step from the beginning on; none before the one ahead of it.
    ends = (_seconds(live, entry) for entry in live.entries)
    took = list(accumulate(ends, max))
    expected = _expected(live)
    longest = max(took[-1], expected, 1.0)
    steps = max(total, len(live.entries), 1)
    curves = (*curves_of_work(live, longest), *curve_of_room(live, longest))
    if not curves:
        curves = _curves_of_steps(took, steps, longest, expected)
    ticks = tuple((share / 4, roughly(longest * share / 4)) for share in range(5))
    return Chart(
        title=f"{live.row.kind}: {live.row.title}",
        lanes=(*_present(live), _steps(live, took, longest)),
        curves=curves,
        ticks=ticks,
        telling=_telling(live, steps),
        legend=(
            ("█", "the steps by their time"),
            ("░", "waited for an answer"),
            ("▲", "a step that did not go well"),
        ),
    )


def _curves_of_steps(
    took: list[float], steps: int, longest: float, expected: float
) -> tuple[Curve, ...]:
    """For a procedure of which nothing is measured: how many steps are done."""
    done = ((seconds / longest, (number + 1) / steps) for number, seconds in enumerate(took))
    curve = Curve("steps done", ((0.0, 0.0), *done), "chosen")
    if not expected:
        return (curve,)
    return (curve, Curve("as expected", ((0.0, 0.0), (expected / longest, 1.0)), "quiet", True))


def _present(live: Live) -> tuple[Lane, ...]:
    """The step that is under way, as far as it is."""
    last = live.entries[-1]
    if last.ended or last.kind in WAITING:
        return ()
    bar = Bar(0.0, last.percent / 100, "solid", "chosen", plain(last.note))
    rest = Bar(last.percent / 100, 1.0, "dotted", "quiet")
    note = f"{last.percent:.0f} %"
    return (Lane(str(last.seq), plain(last.title), (rest, bar), note=note),)


def _steps(live: Live, took: list[float], whole: float) -> Lane:
    """The steps one behind the other, each as long as it took, on the axis of the curves.

    The time that a person took to answer is drawn quietly: it is not the machine's.
    """
    before, waited, bars, marks = 0.0, 0.0, [], []
    for number, (entry, until) in enumerate(zip(live.entries, took, strict=True)):
        fill = "solid" if number % 2 else "dense"
        _, tone = _MARKS[entry.ok]
        if entry.kind in WAITING:
            fill, tone, waited = "dotted", "quiet", waited + until - before
        bars.append(Bar(before / whole, until / whole, fill, tone, key=str(entry.seq)))
        if entry.ok is False:
            marks.append(Mark(until / whole, "▲", "caution"))
        before = until
    keys = tuple(str(entry.seq) for entry in live.entries)
    note = roughly(took[-1]) + (f", {roughly(waited)} on you" if waited >= 1 else "")
    return Lane(keys[-1], "steps", tuple(bars), tuple(marks), note, rows=keys)


def _telling(live: Live, steps: int) -> str:
    last = live.entries[-1]
    done = sum(entry.ok is not None for entry in live.entries)
    if live.row.state == "done":
        return f"● done in {counted(done, 'step')}"
    if live.row.state in ("failed", "stopped"):
        return f"■ {live.row.state} at: {last.title}"
    return f"◌ step {len(live.entries)} of about {steps}: {last.title}"


def _expected(live: Live) -> float:
    brief = known_brief(live.row.brief)
    return brief.estimate if isinstance(brief, CrossBrief) else 0.0


def _seconds(live: Live, entry: EntryRow) -> float:
    """From the beginning of the procedure to the end of a step."""
    return seconds_between(live.entries[0].began, entry.ended or entry.began)
