"""The Ways back page: can I return, and at what price?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.snapshots.cover import HOME_SENTENCE
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

if TYPE_CHECKING:
    from brave_bridge.snapshots.catalogue import Snapshot
    from brave_bridge.snapshots.restore import Preview

COLUMNS = (
    Column("", 2),
    Column("taken (UTC)", 17),
    Column("holds", 24),
    Column("reason"),
    Column("covers", 9, right=True),
    Column("how", 6),
)


_ABOUT = (
    title("What a way back is"),
    *said(
        "A snapshot of the system as it was, kept on the machine itself, with owners, modes, "
        "times, links and contents. A return makes the system equal to it again.",
        HOME_SENTENCE,
        "Before every leg a crossing takes one by itself.",
    ),
    Note("code", "brave-bridge snapshot"),
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
        _ABOUT,
    )


def _row(snapshot: Snapshot) -> Row:
    return Row(
        key=snapshot.id,
        cells=("◆", snapshot.created[:16].replace("T", " "), plain(snapshot.release),
               plain(snapshot.reason), byte_size(snapshot.bytes_covered),
               snapshot.engine),
        why=(
            title(f"Way back {snapshot.id}"),
            *said(
                f"{plain(snapshot.release)} as it was "
                f"{snapshot.created[:16].replace('T', ' ')} UTC",
                f"{counted(snapshot.entries, 'path')}, {byte_size(snapshot.bytes_covered)}, "
                f"of which {byte_size(snapshot.bytes_copied)} had to be copied",
                *(f"not covered: {sentence}" for sentence in snapshot.left_out),
                *(f"vanished while copied: /{plain(path)}" for path in snapshot.vanished[:5]),
                *(f"kept changing: /{plain(path)}" for path in snapshot.unstable[:5]),
            ),
            Note("code", f"brave-bridge return {snapshot.id}"),
            Note("do", "Enter shows what a return would change; nothing happens by that"),
        ),
        action="preview",
    )  # fmt: skip


_EXAMPLES = 5


def _missed(path: str) -> int:
    """How soon a person would miss a path: what programs keep first, the packages' own last."""
    if path.startswith(("var/lib/apt/", "var/lib/dpkg/", "var/cache/", "var/log/", "usr/")):
        return 2
    return 0 if path.startswith("var/lib/") else 1


def preview_lines(snapshot: Snapshot, preview: Preview) -> list[str]:
    """What a return would change, a line each, with examples of what would be lost."""
    lines = [f"{plain(snapshot.release)}, as it was {snapshot.created[:16].replace('T', ' ')} UTC"]
    if not preview.count:
        return [*lines, "", "Nothing that it covers has changed since."]
    lost = sorted(preview.extra, key=_missed)
    return [
        *lines,
        "",
        f"{counted(len(preview.missing), 'path')} that are gone come back",
        f"{counted(len(preview.changed), 'path')} get their old content",
        f"{counted(len(preview.attributes), 'path')} get their old owner, mode or time",
        f"{counted(len(lost), 'path')} that came since would be lost"
        + (", among them:" if lost else ""),
        *(f"   /{plain(path)}" for path in lost[:_EXAMPLES]),
        "",
        f"{byte_size(preview.bytes_to_copy)} to copy. {HOME_SENTENCE}",
    ]
