"""The Logbook page: what happened?"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.workbench.pages.crossing import entry_why
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.pictures.logbook import logbook_picture
from brave_bridge.workbench.record import MachineRecord

if TYPE_CHECKING:
    from brave_bridge.store.rows import EntryRow

COLUMNS = (Column("", 2), Column("when (UTC)", 17), Column("what"), Column("how it ended", 30))


def logbook_page(record: MachineRecord, opened: Mapping[str, tuple[EntryRow, ...]]) -> Page:
    """Every procedure, the newest first; those in ``opened`` with all their requests."""
    rows: list[Row] = []
    for procedure in record.procedures:
        outcome = procedure.outcome
        ended = plain(outcome.why) if outcome and outcome.why else procedure.state
        rows.append(
            Row(
                key=procedure.id,
                cells=(
                    {"done": "●", "failed": "■"}.get(procedure.state, "▲"),
                    procedure.began[:16].replace("T", " "),
                    f"{procedure.kind}: {plain(procedure.title)}",
                    ended,
                ),
                tone="chosen",
                why=(
                    title(f"{procedure.kind} {procedure.id}"),
                    *said(plain(procedure.title), f"state: {procedure.state}"),
                    Note("code", f"brave-bridge logbook {procedure.id}"),
                    Note("do", "Enter opens or closes its steps"),
                ),
                action="expand",
            )
        )
        rows += [_entry_row(entry) for entry in opened.get(procedure.id, ())]
    return Page(
        counted(len(record.procedures), "procedure"),
        COLUMNS,
        tuple(rows),
        "Nothing has happened yet: the logbook begins with the first crossing.",
        (
            title("What the logbook keeps"),
            *said(
                "Every procedure with each of its requests: what was run, what it printed, "
                "how long it took and how it ended; every question and who answered it.",
            ),
            Note("code", "brave-bridge logbook"),
        ),
        picture=logbook_picture(record.procedures) if record.procedures else None,
    )


def _entry_row(entry: EntryRow) -> Row:
    mark = {True: "●", False: "▲", None: "◌"}[entry.ok]
    return Row(
        key=f"{entry.procedure}:{entry.seq}",
        cells=("", entry.began[11:19], f"  {mark} {entry.title}", plain(entry.note)),
        tone="caution" if entry.ok is False else "plain",
        why=entry_why(entry),
    )
