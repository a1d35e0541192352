"""The Survey page: is it ready?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted, plain, shortened
from brave_bridge.core.survey.difference import FindingChange
from brave_bridge.core.survey.findings import Finding, Verdict
from brave_bridge.core.survey.findings import counted as by_verdict
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, folded, said, title
from brave_bridge.workbench.pictures.survey import survey_picture
from brave_bridge.workbench.record import MachineRecord, Surveyed

COLUMNS = (Column("", 2), Column("finding"), Column("where it was seen", 40))
_WORDS = {
    Verdict.STOP: ("stands in the way", "stand in the way"),
    Verdict.CAUTION: ("wants a look", "want a look"),
    Verdict.CLEAR: ("is clear", "are clear"),
    Verdict.NOT_APPLICABLE: ("does not apply", "do not apply"),
}
_SHOWN_UPDATES = 14
_BEING_READ = (
    "It is being read: who it is, what runs, its packages and sources, its disks, its ways back. "
    "Nothing is written by that. Its findings come next, the gravest first."
)
_UPDATES_IN_EVIDENCE = 4


def survey_page(record: MachineRecord, unfolded: frozenset[str] = frozenset()) -> Page:
    """What changed since the last survey, then the findings by verdict, the gravest first.

    What does not apply here is behind a fold; ``unfolded`` are the keys of those that are open.
    """
    if record.fault:
        return _faulty(record)
    if record.surveyed is None:
        return Page("being read …", COLUMNS, (), _BEING_READ)
    surveyed = record.surveyed
    counts = by_verdict(surveyed.findings)
    rows: list[Row] = list(_changes(surveyed))
    for verdict in (Verdict.STOP, Verdict.CAUTION, Verdict.CLEAR, Verdict.NOT_APPLICABLE):
        words = f"{counts[verdict]} {_WORDS[verdict][counts[verdict] > 1]}"
        found = [
            _row(finding, number, surveyed)
            for number, finding in enumerate(surveyed.findings)
            if finding.verdict is verdict
        ]
        if found and verdict is Verdict.NOT_APPLICABLE:
            rows += folded("fold:elsewhere", f"{words} here", found, unfolded, len(COLUMNS))
        elif found:
            rows += [Row(f"heading:{verdict.value}", ("", words, ""), "heading"), *found]
    first = next((row.key for row in rows if row.tone in ("stop", "caution")), "")
    picture = survey_picture(surveyed)
    return Page(_summary(surveyed), COLUMNS, tuple(rows), start=first, picture=picture)


def _faulty(record: MachineRecord) -> Page:
    note = f"{record.fault.what}: {record.fault.why}"
    why = (
        title("This machine cannot be read"),
        *said(plain(note)),
        Note("do", record.fault.remedy or "mend the cause, then survey again"),
    )
    row = Row("fault", ("■", plain(note), ""), "stop", why)
    return Page("cannot be read", COLUMNS, (row,))


def _summary(surveyed: Surveyed) -> str:
    facts = surveyed.facts
    packages = f", {counted(len(facts.installed), facts.part)}" if facts.installed else ""
    name = facts.identity.name or facts.identity.os_id
    legs = surveyed.route.legs if surveyed.route else ()
    leg = f", judged for {legs[0].end.title}" if legs else ""
    same = surveyed.before and not surveyed.changes
    since = f", as at {_moment(surveyed.before, facts.taken_at)}" if same else ""
    return f"{name}{packages}{leg}, read {facts.taken_at[11:16]} UTC{since}"


def _moment(when: str, now: str) -> str:
    """A moment as it is told now (both ISO 8601): without its day, where that is the same."""
    return when[11:16] if when[:10] == now[:10] else when[:16].replace("T", " ")


def _changes(surveyed: Surveyed) -> Iterable[Row]:
    if not surveyed.changes:
        return
    since = surveyed.before[:16].replace("T", " ")
    words = f"{counted(len(surveyed.changes), 'change')} since the survey of {since}"
    yield Row("heading:changes", ("", words, ""), "heading")
    for change in surveyed.changes:
        yield _change_row(change)


def _change_row(change: FindingChange) -> Row:
    before = change.before.title if change.before else "no such point"
    after = change.after.title if change.after else "no such point any more"
    return Row(
        key=f"change:{change.id}",
        cells=("↘" if change.is_worse else "↗", plain(after), f"before: {plain(before)}"),
        tone="caution" if change.is_worse else "clear",
        why=(
            title("It got worse" if change.is_worse else "It got better"),
            *said(f"before: {plain(before)}", f"now: {plain(after)}"),
        ),
    )


def _row(finding: Finding, number: int, surveyed: Surveyed) -> Row:
    tone = {"stop": "stop", "caution": "caution", "clear": "plain"}.get(
        finding.verdict.value, "quiet"
    )
    return Row(
        key=f"{finding.id}:{number}",
        of=finding,
        cells=(finding.verdict.mark, plain(finding.title), plain(finding.evidence)),
        tone=tone,
        why=(
            title(f"{finding.verdict.mark} {plain(finding.title)}"),
            Note("seen", plain(finding.evidence)),
            *said(finding.meaning),
            *_what_to_do(finding),
            *(_updates(surveyed) if finding.id == "pending-updates" else ()),
        ),
    )


def _what_to_do(finding: Finding) -> Iterable[Note]:
    if finding.remedy:
        yield Note("do", plain(finding.remedy))
    if finding.deed:
        yield Note("do", "m does it here, on the record")
    if finding.fix:
        yield Note("do", "m runs this here, on the record:")
        for argv in finding.fix:
            yield Note("code", plain(f"$ {' '.join(argv)}", 300))
    if finding.overruled:
        yield Note("text", plain(f"Overruled: {finding.overruled}", 400))
        yield Note("code", f"brave-bridge uphold {finding.id}")
    elif finding.can_be_overruled:
        yield Note("do", "v lets it stand, with a reason that is kept")


def _updates(surveyed: Surveyed) -> Iterable[Note]:
    if len(surveyed.updates) <= _UPDATES_IN_EVIDENCE:
        return
    updates = [
        plain(f"{u.name} {u.old} → {u.new}{'  security' if u.security else ''}", 200)
        for u in surveyed.updates
    ]
    yield from (Note("seen", words) for words in shortened(updates, _SHOWN_UPDATES))
