"""The Fleet page: who needs me?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.core.survey.findings import counted as by_verdict
from brave_bridge.drawings.bridge import bridge
from brave_bridge.drawings.bridge_text import one_line
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

BRIDGE_WIDTH = 18

COLUMNS = (
    Column("", 2),
    Column("machine", 10, firm=True),
    Column("stands at", 22),
    Column("bridge", BRIDGE_WIDTH, firm=True),
    Column("support", 8, right=True),
    Column("next"),
)


def fleet_page(records: Iterable[MachineRecord], today) -> Page:
    """All machines; those that need the person come first."""
    rows = sorted(records, key=lambda record: -record.next.urgency)
    waiting = sum(1 for record in rows if record.next.urgency == 2)
    summary = f"{counted(len(rows), 'machine')}, {waiting or 'none'} in need of you"
    return Page(
        summary=summary,
        columns=COLUMNS,
        rows=tuple(_row(record, today) for record in rows),
        empty="There is no machine yet.",
        hints=(("Enter", "open"), ("/", "filter"), ("x", "export the bridge")),
    )


def _row(record: MachineRecord, today) -> Row:
    return Row(
        key=record.name,
        cells=(
            _mark(record),
            record.name,
            _stands(record),
            one_line(bridge(record.bridge), BRIDGE_WIDTH),
            _support(record, today),
            record.next.words,
        ),
        tone={2: "caution", 1: "plain", 0: "quiet"}[record.next.urgency],
        why=_why(record, today),
        action="open",
    )


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
    name = identity.name or identity.os_id
    return f"{name} {identity.edition}".strip()


def _support(record: MachineRecord, today) -> str:
    release = record.surveyed.release if record.surveyed else None
    days = release.support_days(today) if release else None
    if days is None:
        return "–"
    return f"{days} d" if days >= 0 else f"−{-days} d"


def _why(record: MachineRecord, today) -> tuple[Note, ...]:
    notes = [title(f"{record.name} · {record.about}")]
    if record.fault:
        notes += said(f"{record.fault.what}: {record.fault.why}", record.fault.remedy)
        return tuple(notes)
    if record.surveyed:
        counts = by_verdict(record.surveyed.findings)
        notes += said(
            "   ".join(
                f"{verdict.mark} {counts[verdict]}" for verdict in Verdict if counts[verdict]
            ),
            f"{counted(len(record.surveyed.facts.installed), 'package')} installed"
            if record.surveyed.facts.installed
            else "",
            f"{counted(len(record.snapshots), 'way', 'ways')} back",
        )
    if record.waits_for:
        notes.append(Note("text", f"It waits for {record.waits_for}, which comes later."))
    notes.append(Note("do", record.next.words))
    return tuple(notes)
