"""The curves of a crossing: bytes fetched, packages changed, room left, as it was and as expected.

What was measured comes from the samples of the logbook; what was expected from the parts of the
estimate, one behind the other.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.estimate import Speeds, estimate
from brave_bridge.core.formats.text import byte_size
from brave_bridge.drawings.chart import Curve
from brave_bridge.runner.briefs import CrossBrief, known_brief
from brave_bridge.workbench.outlook.forecast import measure_of, seconds_between, work_of

if TYPE_CHECKING:
    from brave_bridge.store.rows import EntryRow
    from brave_bridge.workbench.record import Live

_Points = list[tuple[float, float]]


class _Kind(msgspec.Struct, frozen=True):
    """A kind of work: what a run measures, the part of the estimate, how it looks."""

    measures: str
    part: str
    tone: str

    def words(self, done: float, whole: float) -> str:
        if self.measures == "download":
            return f"fetched {100 * done / whole:.0f} % of {byte_size(whole)}"
        return f"packages {done:.0f} of {whole:.0f}"


_DOWNLOAD = _Kind("download", "download", "chosen")
_PACKAGES = _Kind("packages", "packages", "clear")


def curves_of_work(live: Live, longest: float) -> tuple[Curve, ...]:
    """Bytes and packages over time, each with what was expected; none where nothing is planned.

    ``longest`` is the length of the axis in seconds.
    """
    brief = known_brief(live.row.brief)
    if not isinstance(brief, CrossBrief):
        return ()
    works = [work_of(plan) for plan in brief.plans]
    wholes = {
        _DOWNLOAD: sum(work.fetch_bytes for work in works),
        _PACKAGES: sum(work.packages for work in works),
    }
    curves = []
    for kind, whole in wholes.items():
        if whole:
            points = _done(live, kind.measures, whole)
            shares = tuple((seconds / longest, done / whole) for seconds, done in points)
            curves.append(Curve(kind.words(points[-1][1], whole), shares, kind.tone))
            curves += _expected(brief, kind, longest)
    return tuple(curves)


def curve_of_room(live: Live, longest: float) -> tuple[Curve, ...]:
    """What was free on the system's disk over time, of the most that was."""
    known = [sample for sample in live.samples if sample.free_bytes]
    if len(known) < 2:
        return ()
    most = max(sample.free_bytes for sample in known)
    began = live.entries[0].began
    points = tuple(
        (min(seconds_between(began, sample.at) / longest, 1.0), sample.free_bytes / most)
        for sample in known
    )
    return (Curve(f"room free {byte_size(known[-1].free_bytes)}", points, "plain"),)


def _done(live: Live, measures: str, whole: float) -> _Points:
    """Seconds and what was done by then; a try that is made again does not count twice."""
    began = live.entries[0].began
    points: _Points = [(0.0, 0.0)]
    base = 0.0
    for entry in live.entries:
        measure = measure_of(entry)
        if measure.measures != measures or not measure.amount:
            continue
        for at, share in _shares(live, entry):
            seconds = max(seconds_between(began, at), points[-1][0])
            points.append((seconds, min(max(base + share * measure.amount, points[-1][1]), whole)))
        base += measure.amount if entry.ok else 0.0
    last = live.entries[-1]
    until = max(seconds_between(began, last.ended or last.began), points[-1][0])
    return [*points, (until, points[-1][1])]


def _shares(live: Live, entry: EntryRow) -> Iterator[tuple[str, float]]:
    """Moments of a request and which share of it was done."""
    yield entry.began, 0.0
    for sample in live.samples:
        if sample.seq == entry.seq:
            yield sample.at, sample.percent / 100
    if entry.ok:
        yield entry.ended, 1.0


def _expected(brief: CrossBrief, kind: _Kind, longest: float) -> Iterator[Curve]:
    """As it was thought to go: leg by leg, the parts of the estimate in their order."""
    works = [work_of(plan) for plan in brief.plans]
    whole_seconds = estimate(works, Speeds()).seconds
    if not brief.estimate or not whole_seconds:
        return
    scale = brief.estimate / whole_seconds
    whole = sum(_amount(kind, work) for work in works)
    at, done = 0.0, 0.0
    points: _Points = [(0.0, 0.0)]
    for work in works:
        for part, seconds in estimate([work], Speeds()).parts.items():
            done += _amount(kind, work) if part == kind.part else 0.0
            at += seconds * scale
            points.append((at / longest, done / whole))
    yield Curve("", tuple((min(x, 1.0), y) for x, y in points), "quiet", True)


def _amount(kind: _Kind, work) -> float:
    return work.fetch_bytes if kind.measures == "download" else work.packages
