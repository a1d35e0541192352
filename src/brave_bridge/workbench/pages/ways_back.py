"""The Ways back page: can I return, and at what price?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.snapshots.cover import HOME_SENTENCE
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

if TYPE_CHECKING:
    from brave_bridge.snapshots.catalogue import Snapshot

COLUMNS = (
    Column("", 2),
    Column("taken (UTC)", 17),
    Column("holds", 28),
    Column("reason", 26),
    Column("covers", 9, right=True),
    Column("copied", 9, right=True),
    Column("how", 6),
)


def ways_back_page(record: MachineRecord) -> Page:
    """The snapshots, the newest first."""
    hints = (("b", "take a snapshot"), ("Enter", "return: preview first"))
    rows = tuple(_row(snapshot) for snapshot in reversed(record.snapshots))
    summary = f"{counted(len(rows), 'way', 'ways')} back · {HOME_SENTENCE}"
    return Page(
        summary,
        COLUMNS,
        rows,
        "There is no way back yet. A crossing makes one first; b makes one now.",
        hints,
    )


def _row(snapshot: Snapshot) -> Row:
    return Row(
        key=snapshot.id,
        cells=("◆", snapshot.created[:16].replace("T", " "), plain(snapshot.release),
               plain(snapshot.reason), byte_size(snapshot.bytes_covered),
               byte_size(snapshot.bytes_copied), snapshot.engine),
        why=(
            title(f"Way back {snapshot.id}"),
            *said(
                f"{plain(snapshot.release)} as it was "
                f"{snapshot.created[:16].replace('T', ' ')} UTC",
                f"{counted(snapshot.entries, 'path')}, {byte_size(snapshot.bytes_covered)}",
                *(f"not covered: {sentence}" for sentence in snapshot.left_out),
                *(f"vanished while copied: /{plain(path)}" for path in snapshot.vanished[:5]),
                *(f"kept changing: /{plain(path)}" for path in snapshot.unstable[:5]),
            ),
            Note("code", f"brave-bridge return {snapshot.id}"),
            Note("do", "Enter shows what a return would change; nothing happens by that"),
        ),
        action="preview",
    )  # fmt: skip
