"""The Crossing page: how far is it, is it well?"""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.formats.fault_lines import fault_lines
from brave_bridge.core.formats.text import plain
from brave_bridge.runner.briefs import CrossBrief, known_brief
from brave_bridge.workbench.outlook.forecast import actual_seconds, roughly, seconds_between
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.pictures.crossing import crossing_picture
from brave_bridge.workbench.record import Live, MachineRecord

if TYPE_CHECKING:
    from brave_bridge.store.rows import EntryRow

_MOST_WARNINGS = 6

COLUMNS = (Column("", 2), Column("step"), Column("took", 8, right=True), Column("note", 34))


class _Named(msgspec.Struct, frozen=True):
    path: str


class _Written(msgspec.Struct, frozen=True):
    """What of a request is told that writes files."""

    files: tuple[_Named, ...]


class Progress(msgspec.Struct, frozen=True):
    """How far a procedure is. ``percent`` is of the present step; ``left`` is in words."""

    words: str
    percent: float
    done: int
    total: int
    left: str
    question: tuple[str, str, tuple[str, ...]] | None
    warnings: tuple[str, ...]
    output: tuple[str, ...]
    state: str


STEPS_OF_A_LEG = 35
STEPS_AROUND = 4
STEPS_OF = {
    "return": 9,
    "update": 16,
    "remedy": 2,
    "sources": 4,
    "snapshot": 4,
    "check": 1,
    "boot once": 8,
    "kernels": 11,
    "hold": 4,
    "build": 14,
    "kept-system": 12,
}
"""About how many requests the shorter procedures have."""


_ABOUT = (
    title("How a crossing goes"),
    *said(
        "A way back is made first. Then the sources turn to the new release, everything is "
        "downloaded, stage one upgrades what removes nothing, stage two does the rest, and a "
        "proof compares before and after.",
        "It goes on when the screen closes, and can rest at every checkpoint.",
    ),
)


def crossing_page(record: MachineRecord) -> Page:
    """The steps of the newest procedure."""
    live = record.live
    if live is None:
        return Page(
            "nothing under way",
            COLUMNS,
            (),
            "No crossing has begun. Plan the way first (4), then c crosses.",
            _ABOUT,
        )
    rows = tuple(_row(entry) for entry in reversed(live.entries))
    state = "resting" if live.row.state == "running" and not live.at_work else live.row.state
    outcome = live.row.outcome
    if outcome and outcome.state != "done":
        rows = (_outcome_row(outcome), *rows)
    if outcome:
        rows = (*_told_rows(outcome), *rows)
    return Page(
        f"{live.row.kind}: {live.row.title} · {state}{_against_estimate(live)}",
        COLUMNS,
        rows,
        "The runner is starting; its first step shows in a moment.",
        _ABOUT,
        picture=crossing_picture(record, _steps(record, live)) if live.entries else None,
        newest_first=True,
    )


def _steps(record: MachineRecord, live: Live) -> int:
    """About how many steps a procedure has."""
    brief = known_brief(live.row.brief)
    legs = len(brief.plans) if isinstance(brief, CrossBrief) else 1
    return STEPS_OF.get(live.row.kind, legs * STEPS_OF_A_LEG + STEPS_AROUND)


def _against_estimate(live: Live) -> str:
    """What it took beside what was expected, once a crossing has ended."""
    brief = known_brief(live.row.brief)
    if not (isinstance(brief, CrossBrief) and brief.estimate and live.row.state == "done"):
        return ""
    took = actual_seconds(live.entries)
    return f" · took {roughly(took)}, {roughly(brief.estimate)} were expected"


def _outcome_row(outcome) -> Row:
    words = f"{outcome.state} at {outcome.at}: {plain(outcome.why)}"
    return Row(
        "outcome",
        ("■", words, "", ""),
        "stop",
        (
            title(f"It {outcome.state} at {outcome.at}"),
            *said(plain(outcome.why)),
            Note("seen", f"still safe: {outcome.safe}"),
            Note("do", outcome.next_step),
        ),
    )


def _told_rows(outcome) -> tuple[Row, ...]:
    """What a person wants to know, or has to look at, although it went well."""
    told = (*outcome.warnings, *outcome.failed_sources, *(f"left: {w}" for w in outcome.left))
    rows = [("●", "clear", f"active again: {words}") for words in outcome.taken_up]
    rows += [("▲", "caution", words) for words in told]
    return tuple(
        Row(f"told:{number}", (mark, plain(words), "", ""), tone, (title(plain(words)),))
        for number, (mark, tone, words) in enumerate(rows)
    )


def _row(entry: EntryRow) -> Row:
    mark = {True: "●", False: "▲", None: "◌"}[entry.ok]
    checkpoint = entry.kind == "Checkpoint"
    tone = "caution" if entry.ok is False else ("chosen" if checkpoint else "plain")
    return Row(
        key=str(entry.seq),
        cells=(mark, entry.title, _took(entry), plain(entry.note)),
        tone=tone,
        why=entry_why(entry),
    )


def entry_why(entry: EntryRow) -> tuple[Note, ...]:
    """A request of the logbook for the Why pane: the command, its times, what it printed."""
    request, reply = entry.asked, entry.answered
    notes = [
        title(entry.title),
        Note("seen", f"began {entry.began[11:19]} UTC, took {_took(entry)}"),
    ]
    if "argv" in request:
        notes.append(Note("code", "$ " + plain(" ".join(entry.argv))))
        notes += said(f"exit code {reply['exit_code']}" if "exit_code" in reply else "")
        notes.append(Note("code", plain(str(reply.get("output", "")))[-2500:]))
    elif "seen" in reply:
        attempted, seen, remedy = (str(reply.get(k, "")) for k in ("attempted", "seen", "remedy"))
        notes += said(f"{attempted}: {plain(seen)}", remedy)
    elif "detail" in request:
        answer = f"answer: {reply['choice']} ({reply.get('by', '')})" if "choice" in reply else ""
        notes += said(answer)
        notes.append(Note("code", plain(str(request["detail"]))))
    elif written := entry.asked_as(_Written):
        notes += said(*(file.path for file in written.files))
    elif not request:
        notes.append(Note("seen", "what was kept of this request cannot be read"))
    return tuple(notes)


def _took(entry: EntryRow) -> str:
    if not entry.ended:
        return "…"
    seconds = seconds_between(entry.began, entry.ended)
    return f"{seconds:.1f} s" if seconds < 60 else f"{int(seconds // 60)} min {int(seconds % 60)} s"


def progress_of(live: Live, legs: int) -> Progress:
    """How far the procedure is, for the bar above the steps."""
    done = sum(1 for entry in live.entries if entry.ended)
    total = STEPS_OF.get(live.row.kind, legs * STEPS_OF_A_LEG + STEPS_AROUND)
    present = next((e for e in reversed(live.entries) if not e.ended), None)
    asked = live.asked
    words = present.title if present else live.row.title
    if present and present.note:
        words += f" · {plain(present.note)}"
    percent = present.percent if present else (100.0 if not live.is_open else 0.0)
    return Progress(
        words=words,
        percent=percent,
        done=done,
        total=max(total, done) if live.is_open else done,
        left=_left(present, percent),
        question=(asked.title, plain(asked.detail), asked.choices) if asked else None,
        warnings=_warnings(live),
        output=live.output,
        state="resting" if live.is_open and not live.at_work else live.row.state,
    )


def _left(present: EntryRow | None, percent: float) -> str:
    """An honest range for the present step: from its pace so far, never before there is one."""
    if present is None or percent < 5 or percent >= 100:
        return ""
    from datetime import UTC, datetime

    spent = (datetime.now(UTC) - datetime.fromisoformat(present.began)).total_seconds()
    rest = spent * (100 - percent) / percent
    return f"this step: {rest * 0.7:.0f} to {rest * 1.6 + 1:.0f} s more"


def _warnings(live: Live) -> tuple[str, ...]:
    found: list[str] = []
    for entry in live.entries:
        if entry.kind == "Run" and entry.reply:
            # Causes come first in one output; of several, what came last counts.
            found += fault_lines(entry.output)[:_MOST_WARNINGS]
    return tuple(plain(line) for line in dict.fromkeys(found))[-_MOST_WARNINGS:]
