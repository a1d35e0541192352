"""The newest crossing or return, held against the machine as it is now."""

from datetime import datetime
from typing import TypeVar

import msgspec

from brave_bridge.core.crossing.prove_patiently import answered_in
from brave_bridge.core.crossing.replies import FactsRead, Restored, SnapshotTaken
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.proof.alike import both, hold_against
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.proof.compare import Proof, prove, prove_return
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import baseline as read_baseline
from brave_bridge.runner.briefs import CrossBrief, ReturnBrief, known_brief
from brave_bridge.runner.checking import ask_checks
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.decisions import read_decisions
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused

_Reply = TypeVar("_Reply")


def proof_now(desk: Desk) -> tuple[ProcedureRow, Proof]:
    """The newest crossing or return held against the machine as it is now.

    A crossing is held against its baseline, a return against its snapshot. Refused
    where there was neither.
    """
    proved = (row for row in desk.procedures() if row.kind in ("crossing", "return"))
    row = next((row for row in proved if row.state != "stopped"), None)
    if row is None:
        raise Refused("proving", "no crossing is in the logbook")
    brief = known_brief(row.brief)
    if isinstance(brief, ReturnBrief):
        return row, _of_return(desk, row, brief)
    if not isinstance(brief, CrossBrief):
        raise Refused("proving", f"what crossing {row.id} was to do cannot be read any more")
    return row, _of_crossing(desk, row, brief)


def _of_return(desk: Desk, row: ProcedureRow, brief: ReturnBrief) -> Proof:
    way_back = brief.way_back
    found = desk.beside.returning.preview(desk.snapshots.find(way_back))
    restored = _reply(desk, row.id, "RestoreSnapshot", Restored)
    began = (restored.running_since_ns if restored else 0) or _nanoseconds(row.ended)
    left = found.but_written_since(began) if began else found
    proof = prove_return(way_back, left.count, left.named(), found.count - left.count)
    before = baseline_before(desk, way_back)
    if before is None:
        return proof
    return both(proof, hold_against(before, _read_now(desk, before, brief.around.checks)))


def _nanoseconds(moment: str) -> int:
    """A moment (ISO 8601) in ns since the epoch; 0 where there is none.

    What was returned while it did not run was started since, and wrote.
    """
    return int(datetime.fromisoformat(moment).timestamp() * 1e9) if moment else 0


def _of_crossing(desk: Desk, row: ProcedureRow, brief: CrossBrief) -> Proof:
    read = None if brief.begun else _reply(desk, row.id, "ReadFacts", FactsRead)
    baseline = brief.begun.baseline if brief.begun else read.facts if read else None
    if baseline is None:
        raise Refused("proving", f"crossing {row.id} has no baseline yet")
    proof = prove(baseline, _read_now(desk, baseline, brief.checks), brief.plans)
    return proof.without_done(read_decisions(desk.machine).tasks_done)


def _read_now(desk: Desk, before: Facts, checks: tuple[OwnCheck, ...]) -> Facts:
    """The machine as it is, with a person's own checks; what answered before is waited for."""
    now = read_baseline(desk.machine, desk.family(), answered_in(before))
    return msgspec.structs.replace(now, topics=(*now.topics, *ask_checks(desk.machine, checks)))


def baseline_before(desk: Desk, way_back: str = "") -> Facts | None:
    """What was read of the machine before a crossing took a way back, with its topics.

    Without a ``way_back`` it is that of the newest crossing.
    """
    for row in desk.procedures():
        if row.kind != "crossing":
            continue
        taken = _reply(desk, row.id, "TakeSnapshot", SnapshotTaken)
        if taken is not None and way_back in ("", taken.id):
            read = _reply(desk, row.id, "ReadFacts", FactsRead)
            return read.facts if read and read.facts.topics else None
    return None


def _reply(desk: Desk, procedure: str, kind: str, expected: type[_Reply]) -> _Reply | None:
    """The first good reply to a kind of request of a procedure."""
    for entry in desk.logbook().entries(procedure):
        if entry.kind == kind and entry.reply:
            try:
                return decode_json(entry.reply, expected)
            except msgspec.DecodeError:
                continue
    return None
