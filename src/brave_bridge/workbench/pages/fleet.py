"""The Fleet page: who needs me?"""

from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.core.survey.findings import counted as by_verdict
from brave_bridge.core.ways_back.deadline import left_words
from brave_bridge.drawings.bridge import bridge
from brave_bridge.drawings.bridge_text import one_line
from brave_bridge.drawings.chart import Chart
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.pictures.fleet import fleet_picture
from brave_bridge.workbench.pictures.survey import fleet_topics
from brave_bridge.workbench.record import MachineRecord

BRIDGE_WIDTH = 16

COLUMNS = (
    Column("", 1),
    Column("machine", 10, firm=True),
    Column("stands at", 16),
    Column("bridge", BRIDGE_WIDTH, firm=True),
    Column("support", 7, right=True),
    Column("■", 2, right=True),
    Column("▲", 2, right=True),
    Column("upd", 3, right=True),
    Column("back", 4, right=True),
    Column("next"),
)
_FAR = 1 << 30


def _need(record: MachineRecord, today: date):
    counts = by_verdict(record.surveyed.findings) if record.surveyed else {}
    return (-record.next.urgency, not record.fault, -counts.get(Verdict.STOP, 0))


def _support_left(record: MachineRecord, today: date):
    days = support_days(record, today)
    return _FAR if days is None else days


def _way_back_age(record: MachineRecord, today: date):
    days = way_back_days(record, today)
    return -_FAR if days is None else -days


ORDERS: dict[str, Callable[[MachineRecord, date], object]] = {
    "who needs you": _need,
    "support left": _support_left,
    "updates pending": lambda record, today: (
        -(len(record.surveyed.updates) if record.surveyed else 0)
    ),
    "oldest way back": _way_back_age,
    "name": lambda record, today: record.name,
}

PICTURES: dict[str, Callable[[Sequence[MachineRecord], date], Chart]] = {
    "support": fleet_picture,
    "topics": lambda records, today: fleet_topics(records),
}
"""What can be seen of a fleet at one look."""


def fleet_page(
    records: Iterable[MachineRecord],
    today: date,
    order: str = "who needs you",
    row_of: Callable[[MachineRecord, date], Row] | None = None,
    picture: str = "",
) -> Page:
    """All machines in an order, under one of the ``PICTURES``.

    ``row_of`` may remember rows of records that did not change.
    """
    rank = ORDERS[order]
    rows = sorted(records, key=lambda record: rank(record, today))
    waiting = sum(1 for record in rows if record.next.urgency == 2)
    read = sum(1 for record in rows if record.surveyed or record.fault)
    reading = f", {read} read so far" if read < len(rows) else ""
    make = row_of or fleet_row
    seen = picture or next(iter(PICTURES))
    return Page(
        summary=f"{counted(len(rows), 'machine')}, {waiting or 'none'} in need of you{reading}; "
        f"in the order: {order}; seen by {seen}",
        columns=COLUMNS,
        rows=tuple(make(record, today) for record in rows),
        empty="There is no machine yet.",
        picture=PICTURES[seen](rows, today) if rows else None,
    )


def fleet_row(record: MachineRecord, today: date) -> Row:
    """One machine in a line."""
    counts = by_verdict(record.surveyed.findings) if record.surveyed else {}
    updates = len(record.surveyed.updates) if record.surveyed else 0
    return Row(
        key=record.name,
        cells=(
            _mark(record),
            record.name,
            _stands(record),
            one_line(bridge(record.bridge), BRIDGE_WIDTH),
            _support(record, today),
            str(counts.get(Verdict.STOP) or ""),
            str(counts.get(Verdict.CAUTION) or ""),
            str(updates or ""),
            _back(record, today),
            record.next.words,
        ),
        tone={2: "caution", 1: "plain", 0: "quiet"}[record.next.urgency],
        why=_why(record, today),
        action="open",
    )


def support_days(record: MachineRecord, today: date) -> int | None:
    """Days of support left for a machine's release; None where that is not known."""
    release = record.surveyed.release if record.surveyed else None
    return release.support_days(today) if release else None


def way_back_days(record: MachineRecord, today: date) -> int | None:
    """The age of the newest way back in days; None where there is none."""
    if not record.snapshots:
        return None
    return (today - datetime.fromisoformat(record.snapshots[-1].created).date()).days


def _mark(record: MachineRecord) -> str:
    if record.fault:
        return Verdict.STOP.mark
    if record.surveyed is None:
        return Verdict.NOT_APPLICABLE.mark
    return record.surveyed.findings[0].verdict.mark if record.surveyed.findings else "○"


def _stands(record: MachineRecord) -> str:
    if record.fault:
        return "cannot be read"
    if record.surveyed is None:
        return "being read …"
    identity = record.surveyed.facts.identity
    release, line = record.surveyed.release, record.surveyed.line
    name = f"{line.name} {release.version}" if release and line else identity.name
    return f"{name or identity.os_id} {identity.edition}".strip()


def _support(record: MachineRecord, today: date) -> str:
    days = support_days(record, today)
    if days is None:
        return "–"
    return f"{days} d" if days >= 0 else f"−{-days} d"


def _back(record: MachineRecord, today: date) -> str:
    days = way_back_days(record, today)
    if days is None:
        return "–" if record.surveyed else ""
    return f"{days} d" if days else "new"


def _why(record: MachineRecord, today: date) -> tuple[Note, ...]:
    notes = [title(f"{record.name} · {record.about}")]
    if record.fault:
        notes += said(f"{record.fault.what}: {record.fault.why}", record.fault.remedy)
        return tuple(notes)
    if record.surveyed:
        notes += _known(record, today)
    notes.append(Note("do", record.next.words))
    return tuple(notes)


def _known(record: MachineRecord, today: date) -> Iterable[Note]:
    surveyed = record.surveyed
    counts = by_verdict(surveyed.findings)
    marks = "   ".join(
        f"{verdict.mark} {counts[verdict]}" for verdict in Verdict if counts[verdict]
    )
    installed = len(surveyed.facts.installed)
    security = sum(update.security for update in surveyed.updates)
    yield from said(marks, f"{counted(installed, 'package')} installed" if installed else "")
    if surveyed.updates:
        fixes = f", {security} of them security fixes" if security else ""
        yield Note("text", f"{counted(len(surveyed.updates), 'update')} pending{fixes}")
    days = way_back_days(record, today)
    age = "" if days is None else f", the newest {counted(days, 'day')} old" if days else ", new"
    whole = [way for way in record.ways_back if way.kept.is_whole]
    ends = left_words(whole[-1].days_left) if whole else ""
    end = f", {ends}" if ends else ""
    yield Note("text", f"{counted(len(whole), 'way', 'ways')} back{age}{end}")
    for finding in surveyed.findings[:3]:
        if finding.verdict in (Verdict.STOP, Verdict.CAUTION):
            yield Note("seen", f"{finding.verdict.mark} {finding.title}")
