"""How long a plan will take on a machine, by what its logbook tells of earlier crossings."""

from collections.abc import Iterable, Iterator
from datetime import datetime
from functools import lru_cache
from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.estimate import Estimate, Speeds, Work, estimate, measured
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.runner.briefs import CrossBrief, known_brief
from brave_bridge.snapshots.catalogue import Snapshot
from brave_bridge.snapshots.engines.choose import engine_of
from brave_bridge.store.rows import EntryRow, ProcedureRow

if TYPE_CHECKING:
    from brave_bridge.store.logbook import Logbook

WAITING = ("Ask", "Checkpoint", "AwaitRestart")
"""Requests whose time is a person's, not the machine's."""

_MEGABYTE = 1_000_000


def forecast(
    plans: Iterable[LegPlan],
    snapshots: Iterable[Snapshot],
    rows: Iterable[ProcedureRow],
    logbook: "Logbook | None",
    probed: Speeds = Speeds(),
) -> Estimate:
    """The estimate for the legs of a plan. ``rows`` are the procedures, the newest first.

    ``probed`` are the speeds measured while planning; those of whole crossings count before.
    """
    known = list(snapshots)
    copied = known[-1].bytes_copied if known else 0
    covered = known[-1].bytes_covered if known else 0
    history = list(_history(rows, logbook))
    works = []
    for plan in plans:
        # The first snapshot copies everything, a later one what changed since.
        size = copied if known and _was_copied(known[-1]) else covered
        works.append(work_of(plan, min(size, covered)))
    seen = _speeds(history)
    speeds = Speeds(
        link=seen.link or probed.link,
        disk=seen.disk or probed.disk,
        package_seconds=seen.package_seconds,
        restart=seen.restart or probed.restart,
    )
    return estimate(works, speeds, [ratio for *_, ratio in history if ratio])


def _was_copied(snapshot: Snapshot) -> bool:
    return any(engine_of(part).copies for part in snapshot.parts)


def work_of(plan: LegPlan, snapshot_bytes: int = 0) -> Work:
    """What a leg has to do."""
    changes = plan.packages.upgraded + plan.packages.new
    return Work(
        fetch_bytes=plan.download_bytes,
        write_bytes=sum(max(c.disk_bytes, 0) + c.download_bytes for c in changes)
        + sum(step.moved_bytes for step in plan.steps),
        packages=len(changes) + len(plan.packages.removed),
        snapshot_bytes=snapshot_bytes,
        restarts=sum(step.restarts for step in plan.steps),
    )


class Measure(msgspec.Struct, frozen=True):
    """What the percents of a request are of: see Run."""

    measures: str = ""
    amount: int = 0


def measure_of(entry: EntryRow) -> Measure:
    """What a request of the logbook measures."""
    return _measure(entry.request) if entry.kind == "Run" else Measure()


@lru_cache(maxsize=512)
def _measure(request: bytes) -> Measure:
    try:
        return decode_json(request, Measure)
    except msgspec.DecodeError:
        return Measure()


def actual_seconds(entries: Iterable[EntryRow]) -> float:
    """The time that a procedure's requests took, without what it waited for a person."""
    return sum(_seconds(entry) for entry in entries if entry.kind not in WAITING)


def _seconds(entry: EntryRow) -> float:
    if not entry.ended:
        return 0.0
    return seconds_between(entry.began, entry.ended)


def seconds_between(began: str, ended: str) -> float:
    """The time between two moments of a record; none where the clock went back between them."""
    return max((datetime.fromisoformat(ended) - datetime.fromisoformat(began)).total_seconds(), 0.0)


def roughly(seconds: float) -> str:
    """A time in whole seconds or minutes, for people."""
    return f"{seconds:.0f} s" if seconds < 120 else f"{seconds / 60:.0f} min"


def _history(
    rows: Iterable[ProcedureRow], logbook: "Logbook | None"
) -> Iterator[tuple[CrossBrief, list[EntryRow], float]]:
    """Crossings that were done, oldest first: brief, requests, actual over estimated time."""
    if logbook is None:
        return
    for row in reversed(list(rows)):
        if row.kind != "crossing" or row.state != "done":
            continue
        brief = known_brief(row.brief)
        if isinstance(brief, CrossBrief):
            entries = logbook.entries(row.id)
            actual = actual_seconds(entries)
            ratio = actual / brief.estimate if brief.estimate else 0.0
            yield brief, entries, ratio


def _speeds(history: list[tuple[CrossBrief, list[EntryRow], float]]) -> Speeds:
    fetched, written, changed, restarts = [], [], [], []
    for brief, entries, _ in history:
        spent = {"download": 0.0, "packages": 0.0}
        for entry in entries:
            measures = measure_of(entry).measures
            spent[measures] = spent.get(measures, 0.0) + _seconds(entry)
        downloads, stages = spent["download"], spent["packages"]
        works = [work_of(plan) for plan in brief.plans]
        fetched.append((sum(work.fetch_bytes for work in works), downloads))
        changed.append((stages, sum(work.packages for work in works)))
        restarts += [(_seconds(e), 1.0) for e in entries if e.kind == "Restart" and e.ok]
        written += [(_copied(e), _seconds(e)) for e in entries if e.kind == "TakeSnapshot"]
    return Speeds(
        link=measured(fetched, least=_MEGABYTE),
        disk=measured(written, least=_MEGABYTE),
        package_seconds=measured(changed),
        restart=measured(restarts),
    )


def _copied(entry: EntryRow) -> int:
    copied = entry.answered.get("bytes_copied", 0)
    return copied if isinstance(copied, int) else 0
