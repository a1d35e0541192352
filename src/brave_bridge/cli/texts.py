"""What the commands print for a person: plain lines, one thing a line."""

from collections.abc import Iterable, Sequence

from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.apt_sources import SourceEntry
from brave_bridge.core.formats.paused_sources import PausedSource
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.core.releases.choices import Choices
from brave_bridge.core.releases.route import Route
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import Finding, Verdict
from brave_bridge.core.survey.findings import counted as by_verdict
from brave_bridge.snapshots.settings_archive import SettingsArchive
from brave_bridge.store.rows import EntryRow, ProcedureRow
from brave_bridge.workbench.lines import OwnFile
from brave_bridge.workbench.outlook.routes import Routes
from brave_bridge.workbench.places import config_folder
from brave_bridge.workbench.planning.tasks import Task
from brave_bridge.workbench.readiness import PendingUpdates
from brave_bridge.workbench.record import Surveyed
from brave_bridge.workbench.why_nothing import NothingOffered

_SHOWN = 12


def survey_text(surveyed: Surveyed, *, everything: bool = False) -> Iterable[str]:
    """A survey: who the machine is, its findings, the gravest first, and what changed.

    What cannot apply to the machine is one line, unless ``everything`` is wanted.
    """
    facts, identity = surveyed.facts, surveyed.facts.identity
    place = f" ({identity.architecture})" if identity.architecture else ""
    yield f"{facts.machine}: {identity.name or identity.os_id}{place}"
    if facts.installed:
        yield f"{counted(len(facts.installed), facts.part)} installed"
    if surveyed.goal and surveyed.route and surveyed.route.legs:
        yield f"judged for the leg {surveyed.route.legs[0].title}"
    counts = by_verdict(surveyed.findings)
    yield "   ".join(f"{verdict.mark} {counts[verdict]}" for verdict in counts)
    elsewhere = [f for f in surveyed.findings if f.verdict is Verdict.NOT_APPLICABLE]
    for finding in surveyed.findings:
        if everything or finding.verdict is not Verdict.NOT_APPLICABLE:
            yield from finding_text(finding)
    if elsewhere and not everything:
        yield f"○ {counted(len(elsewhere), 'point')} cannot apply here (--all lists them)"
    if surveyed.before:
        since = surveyed.before[:16].replace("T", " ")
        yield f"since the survey of {since}: {counted(len(surveyed.changes), 'change')}"
    for change in surveyed.changes:
        told = change.after or change.before
        yield plain(f"  {'worse' if change.is_worse else 'better'}: {told.title}")


def finding_text(finding: Finding) -> Iterable[str]:
    """One finding with its evidence and what to do."""
    yield plain(f"{finding.verdict.mark} {finding.title}")
    if finding.verdict.value in ("stop", "caution"):
        yield plain(f"    seen: {finding.evidence}")
        if finding.meaning:
            yield f"    {finding.meaning}"
        if finding.remedy:
            yield plain(f"    do: {finding.remedy}")
        if finding.overruled:
            yield plain(f"    overruled: {finding.overruled}")
        elif finding.can_be_overruled:
            yield f"    or: brave-bridge overrule {finding.id} --reason …"


def nothing_text(nothing: NothingOffered | None) -> Iterable[str]:
    """Why no leg can be begun now, and the first thing to do; nothing where one can."""
    if nothing is not None:
        yield f"■ no leg can be begun now: {nothing.why}"
        yield f"      {nothing.do}"


def route_text(
    route: Route,
    offered: Choices,
    standings: Sequence[Routes],
    nothing: NothingOffered | None = None,
) -> Iterable[str]:
    """A route leg by leg, what is refused or closed, and the ways that are offered."""
    yield from nothing_text(nothing)
    if len(standings) > 1:
        for one in standings:
            there = [later.end.key for later in one.later() if later.is_open]
            name = one.line.name if one.line.product else one.line.scale
            yield f"{name}: {one.here.title}; it leads to {', '.join(there) or 'none'}"
    if route.legs:
        yield route.title
    for number, leg in enumerate(route.legs, start=1):
        yield f"  leg {number}: {leg.start.title} to {leg.end.title}"
        for note in leg.notes:
            yield f"      {note}"
    for refused in route.refused:
        yield f"■ {refused.reason}"
    yield from (f"■ {closed.words}" for closed in route.closed)
    for way in offered.ways:
        stops = ", then ".join(leg.end.title for leg in way.legs)
        yield f"{'▲' if way.remarks else '●'} {', '.join(way.kinds)}: {stops}"
        yield from (f"      {remark}" for remark in way.remarks)


def card_text(surveyed: Surveyed) -> Iterable[str]:
    """Before a crossing: whether there is a recovery card to have at hand."""
    for finding in surveyed.findings:
        if finding.id == "recovery-card" and finding.remedy:
            yield f"▲ {finding.title}. {finding.remedy}"


_PROOF_MARKS = {
    "regression": "■",
    "not read": "?",
    "unexplained": "▲",
    "better": "◆",
    "expected": "●",
}


def proof_text(proof: Proof) -> Iterable[str]:
    """A proof, regressions first."""
    for difference in proof.differences:
        mark = _PROOF_MARKS[difference.verdict]
        meaning = f"  ({difference.meaning})" if difference.meaning else ""
        yield plain(
            f"{mark} {difference.subject}: {difference.before} → {difference.after}{meaning}"
        )
    same = sum(int(d.after) if d.topic == d.subject else 1 for d in proof.same)
    yield f"{counted(same, 'point')} as before"
    for task in proof.tasks:
        yield plain(f"☐ left to you: {task.text}  (brave-bridge tasks --done {task.key})")
    if proof.passed:
        yield "● the machine is as good as before"
    else:
        yield "■ something is worse" if proof.worse else f"? {proof.words}"


def repeats_text(repeats: Repeats, found: Proof | None) -> Iterable[str]:
    """The repeated proofs of a crossing: those made, what came undone, when the next one is."""
    if not repeats.due:
        yield "no crossing is to be proven again"
        return
    for made in repeats.made:
        worse = f": {', '.join(made.worse[:5])}" if made.worse else ""
        yield f"{'●' if made.passed else '■'} proven again at {made.at[:16]} UTC{plain(worse)}"
    for name in repeats.came_undone():
        yield f"■ came undone since the crossing: {plain(name)}"
    if repeats.came_undone():
        yield "  tell others who face the same leg: brave-bridge note add --severity wait …"
    if found is not None:
        yield from proof_text(found)
    for moment in repeats.ahead:
        yield f"○ to be proven again at {moment[:16]} UTC"
    if repeats.are_done:
        yield "● proven for the last time: its ways back end by the rules from now on"


def topics_text(name: str, facts: Facts) -> Iterable[str]:
    """A baseline that was taken: its topics, how many names each has, or why it was not read."""
    yield f"baseline {name} of {facts.machine}"
    for topic in facts.topics:
        if topic.absent:
            yield f"○ {topic.name}: {topic.absent}"
        else:
            yield f"● {topic.name}: {counted(len(topic.values), 'point')}"


def tasks_text(tasks: Iterable[Task]) -> Iterable[str]:
    """The steps that only a person can do."""
    known = tuple(tasks)
    for task in known:
        mark = "☑" if task.is_done else "☐"
        yield plain(f"{mark} {task.when} {task.leg}: {task.text}")
        yield plain(f"    {task.key}")
    if not known:
        yield "● nothing is left to a person"


def outcome_text(row: ProcedureRow) -> Iterable[str]:
    """How a procedure ended."""
    outcome = row.outcome
    if outcome is None:
        yield f"{row.kind} {row.id} {row.state}"
        return
    if outcome.state == "done":
        yield f"● {row.kind} done: {row.title}"
    else:
        yield plain(f"■ {row.kind} {outcome.state} at {outcome.at}: {outcome.why}")
        yield f"  still safe: {outcome.safe}"
        yield f"  next: {outcome.next_step}"
    if outcome.ways_back and row.kind == "crossing":
        yield f"  way back: {outcome.ways_back[0]}"
    if outcome.set_aside:
        yield plain(f"  config files set aside: {', '.join(outcome.set_aside)}")
    for words in outcome.again:
        yield plain(f"  ☐ install {words} again (brave-bridge tasks)")
    if outcome.obsolete:
        yield plain(f"  no source has any more: {', '.join(outcome.obsolete)}")
    for words in outcome.taken_up:
        yield plain(f"  active again: {words}")
    for words in outcome.updated:
        yield plain(f"  up to date: {words}")
    for words in (*outcome.left, *outcome.failed_sources):
        yield plain(f"  left: {words}")
    for words in outcome.warnings:
        yield plain(f"▲ {words}")
    if outcome.proof:
        yield from proof_text(outcome.proof)


def sources_text(active: Iterable[SourceEntry], waiting: Iterable[PausedSource]) -> Iterable[str]:
    """Where packages come from, and what waits."""
    for entry in active:
        yield _source_line("●", entry)
    for one in waiting:
        yield _source_line("▲", one.entry) + plain(f"  waits since before {one.before}")


def _source_line(mark: str, entry: SourceEntry) -> str:
    words = " ".join((*entry.uris, *entry.suites, *entry.components))
    return plain(f"{mark} {entry.path}:{entry.line}  {words}")


def updates_text(pending: PendingUpdates) -> Iterable[str]:
    """What a look for updates found."""
    size = byte_size(sum(update.download_bytes for update in pending.updates))
    if pending.updates or pending.new:
        yield f"{counted(len(pending.updates), 'update')}, {len(pending.new)} new, {size} to fetch"
    else:
        yield "● no update is pending"
    for update in pending.updates:
        mark = "security" if update.security else ""
        yield plain(f"  {update.name} {update.old} → {update.new}  {mark}".rstrip())
    for title, names in (
        ("comes along", pending.new),
        ("would go away", pending.removed),
        ("kept back", pending.kept_back),
    ):
        for name in names:
            yield plain(f"  {title}: {name}")
    for words in pending.failed_sources:
        yield plain(f"▲ not reached: {words}")
    if pending.restart_wanted:
        yield "▲ a restart is pending"


def archive_text(made: SettingsArchive) -> Iterable[str]:
    """A settings backup that was made."""
    yield f"{made.path}"
    yield f"  {counted(made.entries, 'path')}, {byte_size(made.size_bytes)}, sha256 {made.checksum}"
    yield f"  index: {made.index}"
    yield f"  one file of it: tar --zstd -xf {made.path} etc/hosts"
    for words in made.left_out:
        yield plain(f"  left out: {words}")


def notes_text(notes: Iterable[FieldNote]) -> Iterable[str]:
    """Field notes, the newest first."""
    rows = list(notes)
    if not rows:
        yield "There is no field note yet: brave-bridge note add writes one."
    for note in rows:
        state = f"  lifted: {note.lifted}" if note.lifted else ""
        yield plain(f"{note.id}  {note.severity}  {note.leg}  {note.machine}: {note.text}{state}")
        if note.workaround:
            yield plain(f"     what helps: {note.workaround}")


def entry_text(entry: EntryRow) -> str:
    """One request of the logbook in a line."""
    mark = {True: "●", False: "■", None: "·"}[entry.ok]
    note = f"  {entry.note}" if entry.note else ""
    return plain(f"{entry.began[11:19]} {mark} {entry.title}{note}")


def moving_text(entry: EntryRow) -> str:
    """A request that has not ended, and how far it is."""
    far = f"  {entry.percent:.0f} %" if entry.percent else ""
    note = f"  {entry.note}" if entry.note else ""
    return plain(f"{entry.began[11:19]} … {entry.title}{far}{note}")


def logbook_text(row: ProcedureRow, entries: Iterable[EntryRow]) -> Iterable[str]:
    """A procedure with all its requests."""
    yield f"{row.id}  {row.kind}  {row.title}  {row.state}"
    for entry in entries:
        yield "  " + entry_text(entry)


def catalogue_text(checked: Iterable[OwnFile]) -> Iterable[str]:
    """Catalogue files, each with what is wrong in it."""
    checked = tuple(checked)
    if not checked:
        yield f"no file of your own is in {config_folder() / 'releases'}"
    for own in checked:
        if own.line:
            known = f"{len(own.line.releases)} releases, {len(own.line.legs)} legs"
            yield f"● {own.path}: {plain(own.line.name)}, {known}"
        for fault in own.faults:
            where = f"{own.path}:{fault.line}" if fault.line else str(own.path)
            yield plain(f"{'■' if fault.fatal else '▲'} {where}: {fault.why}")
        if own.line is None:
            yield "  it is left out; what ships with Brave Bridge holds"
