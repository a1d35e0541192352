"""The Survey page: is it ready?"""

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.survey.findings import Finding, Verdict
from brave_bridge.core.survey.findings import counted as by_verdict
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (Column("", 2), Column("finding"), Column("where it was seen", 44))
HINTS = (("s", "survey again"), ("/", "filter"))

_WORDS = {
    Verdict.STOP: ("stands in the way", "stand in the way"),
    Verdict.CAUTION: ("wants a look", "want a look"),
    Verdict.CLEAR: ("is clear", "are clear"),
    Verdict.NOT_APPLICABLE: ("does not apply", "do not apply"),
}


def survey_page(record: MachineRecord) -> Page:
    """The findings by verdict, the gravest first."""
    if record.fault:
        note = f"{record.fault.what}: {record.fault.why}"
        why = (
            title("This machine cannot be read"),
            *said(plain(note)),
            Note("do", record.fault.remedy or "mend the cause, then survey again"),
        )
        row = Row("fault", ("■", plain(note), ""), "stop", why)
        return Page("cannot be read", COLUMNS, (row,), hints=HINTS)
    if record.surveyed is None:
        return Page("being read …", COLUMNS, (), "The machine is being read.", HINTS)
    findings = record.surveyed.findings
    counts = by_verdict(findings)
    rows: list[Row] = []
    for verdict in (Verdict.STOP, Verdict.CAUTION, Verdict.CLEAR, Verdict.NOT_APPLICABLE):
        if counts[verdict]:
            words = f"{counts[verdict]} {_WORDS[verdict][counts[verdict] > 1]}"
            rows.append(Row(f"heading:{verdict.value}", ("", words, ""), "heading"))
            rows += [_row(f, n) for n, f in enumerate(findings) if f.verdict is verdict]
    facts = record.surveyed.facts
    packages = f", {counted(len(facts.installed), 'package')}" if facts.installed else ""
    name = facts.identity.name or facts.identity.os_id
    summary = f"{name}{packages}, read {facts.taken_at[11:16]} UTC"
    return Page(summary, COLUMNS, tuple(rows), hints=HINTS)


def _row(finding: Finding, number: int) -> Row:
    tone = {"stop": "stop", "caution": "caution", "clear": "plain"}.get(
        finding.verdict.value, "quiet"
    )
    return Row(
        key=f"{finding.id}:{number}",
        cells=(finding.verdict.mark, plain(finding.title), plain(finding.evidence)),
        tone=tone,
        why=(
            title(f"{finding.verdict.mark} {plain(finding.title)}"),
            Note("seen", plain(finding.evidence)),
            *said(finding.meaning),
            *([Note("do", plain(finding.remedy))] if finding.remedy else []),
        ),
    )
