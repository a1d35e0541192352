"""The Ways back page: can I return, until when, and at what price?"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import byte_size, counted, plain, shortened
from brave_bridge.core.ways_back.deadline import SOON_DAYS, left_words
from brave_bridge.snapshots.engines.btrfs import BtrfsEngine
from brave_bridge.snapshots.engines.choose import engine_of
from brave_bridge.snapshots.trees.cover import HOME_SENTENCE
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, heading, said, title
from brave_bridge.workbench.pictures.ways_back import ways_back_picture
from brave_bridge.workbench.record import MachineRecord
from brave_bridge.workbench.ways.kept_system import KeptSeen, kept_of

if TYPE_CHECKING:
    from brave_bridge.core.boot.past_entry import PastSystem
    from brave_bridge.snapshots.description import Gone, Snapshot
    from brave_bridge.snapshots.returns.set_aside import SetAside
    from brave_bridge.workbench.way_back import WayBack

COLUMNS = (
    Column("", 2, firm=True),
    Column("taken (UTC)", 16, firm=True),
    Column("age", 5, right=True, firm=True),
    Column("holds", 12),
    Column("why it was taken"),
    Column("ends", 14),
    Column("alone", 8, right=True),
    Column("shared", 8, right=True),
    Column("how", 5),
)


KEPT = "kept"
"""The key of the row of the system that an upgrade kept."""

"""What the key of the row of a past system begins with; its way back's id follows."""

_ABOUT = (
    title("What a way back is"),
    *said(
        "A snapshot of the system as it was, kept on the machine itself or on a disk that you "
        "name, with owners, modes, times, links and contents. A return makes the system equal "
        "to it again.",
        HOME_SENTENCE,
        "Before every leg a crossing takes one by itself.",
    ),
    Note("code", "brave-bridge snapshot"),
)


def ways_back_page(record: MachineRecord) -> Page:
    """The snapshots, the newest first, the damaged with them; then those that ended."""
    today = datetime.now(UTC).date()
    rows = [_row(way, today) for way in reversed(record.ways_back)]
    facts = record.surveyed.facts if record.surveyed else None
    kept = kept_of(facts, today) if facts else None
    if kept is not None:
        rows.append(heading("kept by the system itself", len(COLUMNS)))
        rows.append(_kept_row(kept, today))
    if record.past_systems:
        rows.append(heading("in the boot menu", len(COLUMNS)))
        rows += [_past_row(past, today) for past in record.past_systems]
    if record.set_aside:
        rows.append(heading("set aside by a return", len(COLUMNS)))
        rows += [_set_aside_row(aside, today) for aside in record.set_aside]
    if record.gone:
        rows.append(heading("ended", len(COLUMNS)))
        rows += [_gone_row(gone, today) for gone in record.gone[:20]]
    return Page(
        _summary(record, today),
        COLUMNS,
        tuple(rows),
        "There is no way back yet. A crossing makes one first; b makes one now.",
        _ABOUT,
        picture=ways_back_picture(record.ways_back, today) if record.ways_back else None,
    )


def _kept_row(seen: KeptSeen, today: date) -> Row:
    """The system that an upgrade kept, and what going back to it would lose."""
    kept = seen.kept
    gone = bool(kept.gone)
    is_soon = seen.days_left is not None and seen.days_left <= SOON_DAYS
    mark, tone = ("▲", "caution") if gone or is_soon else ("◇", "plain")
    why = (
        title(f"{kept.version}, build {kept.build}"),
        *said(
            *([f"It is gone: {kept.gone}"] if gone else ["Going back to it would lose:"]),
            *(() if gone else seen.losses),
        ),
        *(() if gone else (Note("code", "brave-bridge kept-system --go-back --reason …"),)),
        *(
            (Note("code", f"brave-bridge kept-system --until {kept.longest or kept.until}"),)
            if kept.until
            else ()
        ),
    )
    ends = "gone" if gone else left_words(seen.days_left)
    how = "kept by the upgrade" if kept.made else "in the other slot"
    age = _age(kept.made, today) if kept.made else "–"
    cells = (mark, kept.made or "–", age, kept.version, how, ends or "no end")
    size = byte_size(kept.size) if kept.size else "–"
    return Row(KEPT, (*cells, size, "–", "–"), tone, why, action="go_back")


def _summary(record: MachineRecord, today: date) -> str:
    whole = [way for way in record.ways_back if way.kept.is_whole]
    words = [counted(len(whole), "way", "ways") + " back"]
    if whole:
        words.append(f"the newest {age_words(whole[-1].kept.snapshot.created, today)}")
    damaged = len(record.ways_back) - len(whole)
    if damaged:
        words.append(f"■ {damaged} damaged")
    return f"{', '.join(words)}. {HOME_SENTENCE}"


def age_words(created: str, today: date) -> str:
    """How old a way back is."""
    days = (today - datetime.fromisoformat(created).date()).days
    return {0: "of today", 1: "of yesterday"}.get(days, f"{days} days old")


def _age(created: str, today: date) -> str:
    days = (today - datetime.fromisoformat(created).date()).days
    return f"{days} d" if days else "new"


def _mark(way: WayBack) -> tuple[str, str]:
    """Its mark and tone: whole, to be looked at, or no way back any more."""
    if not way.kept.is_whole:
        return "■", "stop"
    if way.kept.keeping.pinned:
        return "◆", "chosen"
    if way.days_left is not None and way.days_left <= SOON_DAYS:
        return "▲", "caution"
    return "◇", "plain"


def _row(way: WayBack, today: date) -> Row:
    snapshot, use = way.kept.snapshot, way.kept.use
    mark, tone = _mark(way)
    reason = plain(way.kept.fault or snapshot.reason)
    return Row(
        key=snapshot.id,
        cells=(
            mark,
            snapshot.created[:16].replace("T", " "),
            _age(snapshot.created, today),
            _short(snapshot.release) or "not known",
            reason,
            _ends(way),
            byte_size(use.alone) if use else "–",
            byte_size(use.shared) if use else "–",
            snapshot.engine or "–",
        ),
        tone=tone,
        why=tuple(_why(way)),
        action="preview" if way.kept.is_whole else "",
    )


def _short(release: str) -> str:
    """A release without its codename in brackets, for a narrow column."""
    return plain(release).partition(" (")[0]


def _ends(way: WayBack) -> str:
    if way.kept.keeping.pinned:
        return "pinned"
    if way.days_left is not None:
        return left_words(way.days_left)
    return "may go" if way.fate.goes else ""


def _why(way: WayBack) -> Iterable[Note]:
    snapshot, keeping = way.kept.snapshot, way.kept.keeping
    yield title(f"Way back {snapshot.id}")
    if way.kept.fault:
        yield Note("text", f"■ It cannot be returned to: {plain(way.kept.fault)}")
        yield from (Note("seen", plain(fault)) for fault in keeping.faults[1:6])
        yield Note("do", "d deletes it, b takes a new one")
        if not snapshot.parts:
            return
    yield from said(
        f"{plain(snapshot.release)} as it was {snapshot.created[:16].replace('T', ' ')} UTC, "
        f"kernel {plain(snapshot.kernel) or 'not known'}",
        f"boot entry: {plain(snapshot.boot_entry)}" if snapshot.boot_entry else "",
        f"for the leg {plain(snapshot.leg)}" if snapshot.leg else "",
        f"{counted(snapshot.entries, 'path')}, {byte_size(snapshot.bytes_covered)}, "
        f"of which {byte_size(snapshot.bytes_copied)} had to be copied",
        f"kept in {plain(snapshot.kept_in)}" if snapshot.kept_in else "",
    )
    yield from _deadline_notes(way)
    yield from _parts_notes(snapshot)
    yield Note("seen", _verified(keeping.verified_at, bool(keeping.faults)))
    yield Note("code", f"brave-bridge return {snapshot.id}")
    yield Note("do", "Enter shows what a return would change; nothing happens by that")
    if any(part.mount == "/" and engine_of(part).can_be_started for part in snapshot.parts):
        yield Note("do", "o has the boot menu offer it, as a system to start beside this one")


def _verified(when: str, damaged: bool) -> str:
    if not when:
        return "not read again since it was taken (v)"
    found = "with faults" if damaged else "whole"
    return f"verified {when[:16].replace('T', ' ')} UTC: {found}"


def _deadline_notes(way: WayBack) -> Iterable[Note]:
    keeping = way.kept.keeping
    if keeping.pinned:
        why = plain(keeping.pin_reason)
        yield Note("text", f"◆ pinned{': ' + why if why else ''}")
    if keeping.deadline:
        because = f": {plain(keeping.deadline_reason)}" if keeping.deadline_reason else ""
        can = " (e moves it)" if keeping.extendable else " (it cannot be moved)"
        yield Note("text", f"ends {keeping.deadline[:10]}{because}{can}")
    words = "it may go" if way.fate.goes else "it stays"
    yield Note("text", f"by the rules {words}: {way.fate.why}")
    use = way.kept.use
    if use and use.room_left >= 0:
        yield Note("text", f"▲ when {byte_size(use.room_left)} more change, it is full and lost")


def _parts_notes(snapshot: Snapshot) -> Iterable[Note]:
    for part in snapshot.parts:
        yield Note("text", f"{part.mount} by {part.engine}: {plain(part.why)}")
    for sentence in snapshot.uncovered[:6]:
        yield Note("text", f"not covered: {plain(sentence)}")
    yield Note("text", HOME_SENTENCE)
    others = len(snapshot.left_out) - 1
    yield Note("text", f"{counted(others, 'other place')} left out: brave-bridge cover tells which")
    for words, name in (
        ("vanished while copied", "vanished"),
        ("kept changing", "unstable"),
    ):
        paths = snapshot.all_of(name)
        if paths:
            yield Note("seen", f"▲ {words}: {', '.join(map(plain, shortened(paths, 3)))}")


def _past_row(past: PastSystem, today: date) -> Row:
    words = "it runs" if past.running else "by hand (o)"
    return Row(
        key=f"past:{past.way_back}",
        of=past,
        cells=(
            "◉" if past.running else "○",
            past.since[:16].replace("T", " "),
            _age(past.since, today) if past.since else "",
            _short(past.release),
            f"to be started beside the system of now, kernel {plain(past.kernel)}",
            words,
            "",
            "",
            BtrfsEngine.name,
        ),
        tone="caution" if past.running else "plain",
        why=(
            title(plain(past.title)),
            Note("seen", plain(past.subvolume)),
            *said(
                "The machine runs on it. What is changed here is gone after the next restart, "
                "unless it is kept: o keeps it, and sets the system of now aside."
                if past.running
                else "The boot menu offers it as a system of its own. Started there, it runs "
                "beside the system of now, which stays as it is; what both share (home folders "
                "and data on other subvolumes) is the same for both.",
                "The survey of a machine that was started so says it, and how to go on: keep it, "
                "or restart.",
            ),
            Note("code", "brave-bridge keep-past")
            if past.running
            else Note("code", f"brave-bridge boot-menu {past.way_back} --once"),
            Note("do", "o keeps it" if past.running else "o takes it out again"),
        ),
    )


def _set_aside_row(aside: SetAside, today: date) -> Row:
    since = aside.since[:16].replace("T", " ")
    words = "the system runs on it until it restarts" if aside.in_use else "by hand (d)"
    return Row(
        key=f"aside:{aside.id}",
        of=aside,
        cells=(
            "◌",
            since,
            _age(aside.since, today),
            "",
            f"{aside.mount} as it was before the return",
            words,
            "",
            "",
            BtrfsEngine.name,
        ),
        tone="quiet",
        why=(
            title(f"Set aside: {plain(aside.id)}"),
            *said(
                f"{aside.mount} as it was until the return of {since} UTC, with all that came "
                "after the snapshot.",
                "The system still runs on it until it restarts."
                if aside.in_use
                else "It takes room until it is deleted. Keep it until the machine is well again.",
            ),
            Note("do", "d deletes it; o has the boot menu offer it, as a system to start"),
        ),
    )


def _gone_row(gone: Gone, today: date) -> Row:
    ended = f"ended {gone.ended[:10]}: {plain(gone.why)}"
    return Row(
        key=f"gone:{gone.id}",
        cells=(
            "○",
            gone.created[:16].replace("T", " "),
            _age(gone.created, today),
            _short(gone.release),
            ended,
            "gone",
            byte_size(gone.freed),
            "",
            "",
        ),
        tone="quiet",
        why=(
            title(f"Way back {gone.id}"),
            *said(
                f"It held {plain(gone.release)}; why it was taken: {plain(gone.reason)}.",
                f"It ended {gone.ended[:16].replace('T', ' ')} UTC: {plain(gone.why)}.",
                f"{byte_size(gone.freed)} were freed.",
            ),
        ),
    )
