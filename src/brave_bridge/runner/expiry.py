"""Letting ways back go by the rules that a person set, each with why it went or stays."""

from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.core.ways_back.retention import Candidate, Fate, Retention, fates
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.runner.repeated_proofs import REPEATS
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.choices import read_choices
from brave_bridge.snapshots.description import Gone, Kept
from brave_bridge.store.faults import DatabaseError
from brave_bridge.store.opening import reading_logbook
from brave_bridge.store.rows import ProcedureRow


def fates_of(machine: Machine, snapshots: Snapshots, listed: list[Kept], now: str) -> list[Fate]:
    """What the rules say of every way back at a moment (ISO 8601 in UTC).

    Where the rules or the logbook cannot be read, they say nothing: a person decides.
    """
    doubt, crossing, rules, repeats = "", None, Retention(), Repeats()
    try:
        crossing, rules = newest_crossing(machine), read_choices(machine).retention
        repeats = REPEATS.must_read(machine.state)
    except (MachineError, DatabaseError) as error:
        doubt = f"what holds for it is not known: {error}"
    proved = ""
    if crossing and crossing.outcome and crossing.outcome.proof and crossing.outcome.proof.passed:
        proved = _proved_over_days(repeats, crossing)
    needed = _needed_by(crossing, listed) if crossing else set()
    candidates = [
        Candidate(
            id=kept.snapshot.id,
            created=kept.snapshot.created,
            number=kept.snapshot.number,
            pinned=kept.keeping.pinned,
            deadline=kept.keeping.deadline,
            held=_why_held(kept, doubt),
            last_crossing=kept.snapshot.id in needed,
            proved=proved,
        )
        for kept in listed
    ]
    return fates(candidates, rules, now, snapshots.free_percent())


def _proved_over_days(repeats: Repeats, crossing: ProcedureRow) -> str:
    """When a crossing was proven for the last time; empty while a repeated proof is ahead."""
    if repeats.crossing != crossing.id or not repeats.due:
        return crossing.ended
    return repeats.last_day


def _why_held(kept: Kept, doubt: str) -> str:
    """Why the rules say nothing of a way back; empty where they do."""
    why = kept.fault or kept.doubt or doubt
    return f"{why}; a person decides about it" if why else ""


def _needed_by(crossing: ProcedureRow, listed: list[Kept]) -> set[str]:
    """The ways back of a crossing: while it goes on, those that it has taken so far."""
    if crossing.outcome:
        return set(crossing.outcome.ways_back)
    names = (kept.snapshot.id for kept in listed)
    return {name for name in names if name.startswith(crossing.id)}


def newest_crossing(machine: Machine) -> ProcedureRow | None:
    """The newest crossing in a machine's logbook."""
    with reading_logbook(machine) as logbook:
        rows = logbook.procedures() if logbook else []
    return next((row for row in rows if row.kind == "crossing"), None)


def expire(machine: Machine, snapshots: Snapshots, now: str) -> tuple[list[Gone], list[Fate]]:
    """Delete what the rules let go; what went, and what stays."""
    known = fates_of(machine, snapshots, snapshots.listed(), now)
    went = [snapshots.delete(fate.id, fate.why) for fate in known if fate.goes]
    return went, [fate for fate in known if not fate.goes]
