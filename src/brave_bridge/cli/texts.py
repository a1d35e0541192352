"""What the commands print for a person: plain lines, one thing a line."""

from collections.abc import Iterable

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.core.packages.changes import LegPlan, PackageChange
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.releases.route import Route
from brave_bridge.core.survey.findings import Finding
from brave_bridge.snapshots.catalogue import Snapshot
from brave_bridge.snapshots.cover import HOME_SENTENCE
from brave_bridge.store.logbook import EntryRow, ProcedureRow
from brave_bridge.workbench.desk import KeptPlan, Surveyed

_SHOWN = 12


def survey_text(surveyed: Surveyed) -> Iterable[str]:
    """A survey: who the machine is, then its findings, the gravest first."""
    identity = surveyed.facts.identity
    yield f"{surveyed.facts.machine}: {identity.name or identity.os_id} ({identity.architecture})"
    if surveyed.facts.where("packages"):
        yield f"{counted(len(surveyed.facts.installed), 'package')} installed"
    for finding in surveyed.findings:
        yield from finding_text(finding)


def finding_text(finding: Finding) -> Iterable[str]:
    """One finding with its evidence and what to do."""
    yield plain(f"{finding.verdict.mark} {finding.title}")
    if finding.verdict.value in ("stop", "caution"):
        yield plain(f"    seen: {finding.evidence}")
        if finding.meaning:
            yield f"    {finding.meaning}"
        if finding.remedy:
            yield plain(f"    do: {finding.remedy}")


def route_text(route: Route) -> Iterable[str]:
    """A route leg by leg, and what is refused."""
    if route.legs:
        yield route.title
    for number, leg in enumerate(route.legs, start=1):
        yield f"  leg {number}: {leg.start.title} to {leg.end.title}"
        for note in leg.notes:
            yield f"      {note}"
    for refused in route.refused:
        yield f"■ {refused.reason}"


def plan_text(kept: KeptPlan) -> Iterable[str]:
    """A plan leg by leg."""
    for plan in kept.legs:
        yield from _leg_text(plan)


def _leg_text(plan: LegPlan) -> Iterable[str]:
    yield f"{plan.leg.start.title} to {plan.leg.end.title}"
    yield (
        f"  {counted(len(plan.upgraded), 'package')} upgraded, {len(plan.new)} new, "
        f"{len(plan.removed) or 'nothing'} would go away, {len(plan.kept_back)} kept back"
    )
    grows = "more" if plan.disk_bytes >= 0 else "less"
    yield (
        f"  {byte_size(plan.download_bytes)} to download, "
        f"{byte_size(abs(plan.disk_bytes))} {grows} on disk"
    )
    yield from _changes("would go away", plan.removed)
    yield from _changes("kept back", plan.kept_back)
    yield from _changes("goes to another major version", plan.jumps)
    for source in plan.sources:
        if source.outcome != "unchanged":
            arrow = f"{source.old_suite} → {source.new_suite}".rstrip(" →")
            yield plain(f"  source {source.outcome}: {source.uri} {arrow} ({source.reason})")
    for question in plan.questions:
        keep = "your version stays" if question.answer == "mine" else "the new version is taken"
        yield plain(f"  {question.path}: {keep}")
    if plan.obsolete:
        yield plain(f"  no source has any more: {', '.join(plan.obsolete)}")


def _changes(title: str, changes: Iterable[PackageChange]) -> Iterable[str]:
    rows = list(changes)
    for change in rows[:_SHOWN]:
        versions = f"{change.old} → {change.new}".strip(" →")
        yield plain(f"  {title}: {change.name} {versions}: {change.reason}")
    if len(rows) > _SHOWN:
        yield f"  {title}: {len(rows) - _SHOWN} more"


def snapshot_text(snapshot: Snapshot) -> Iterable[str]:
    """A snapshot that was just taken."""
    yield f"way back {snapshot.id} ({snapshot.engine})"
    yield (
        f"  {counted(snapshot.entries, 'path')}, {byte_size(snapshot.bytes_covered)}, "
        f"{byte_size(snapshot.bytes_copied)} of it copied"
    )
    yield f"  {HOME_SENTENCE}"
    for path in snapshot.vanished:
        yield plain(f"  vanished while it was copied: /{path}")
    for path in snapshot.unstable:
        yield plain(f"  kept changing while it was copied: /{path}")


def ways_back_text(snapshots: Iterable[Snapshot]) -> Iterable[str]:
    """The ways back, oldest first."""
    rows = list(snapshots)
    if not rows:
        yield "There is no way back yet: brave-bridge snapshot makes one."
        return
    for snapshot in rows:
        yield (
            f"{snapshot.id}  {snapshot.created[:16].replace('T', ' ')}  {snapshot.release}  "
            f"{snapshot.reason}"
        )
    yield HOME_SENTENCE


def proof_text(proof: Proof) -> Iterable[str]:
    """A proof, regressions first."""
    for difference in proof.differences:
        mark = "■" if difference.verdict == "regression" else "●"
        meaning = f"  ({difference.meaning})" if difference.meaning else ""
        yield plain(
            f"{mark} {difference.subject}: {difference.before} → {difference.after}{meaning}"
        )
    yield f"{counted(len(proof.same), 'point')} as before"
    yield "● the machine is as good as before" if proof.passed else "■ something is worse"


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
    if outcome.obsolete:
        yield plain(f"  no source has any more: {', '.join(outcome.obsolete)}")
    if outcome.proof:
        yield from proof_text(outcome.proof)


def entry_text(entry: EntryRow) -> str:
    """One request of the logbook in a line."""
    mark = {True: "●", False: "■", None: "·"}[entry.ok]
    note = f"  {entry.note}" if entry.note else ""
    return plain(f"{entry.began[11:19]} {mark} {entry.title}{note}")


def logbook_text(row: ProcedureRow, entries: Iterable[EntryRow]) -> Iterable[str]:
    """A procedure with all its requests."""
    yield f"{row.id}  {row.kind}  {row.title}  {row.state}"
    for entry in entries:
        yield "  " + entry_text(entry)
