"""Proving again over days: what is due, made once at a time, and what it means for ways back."""

from datetime import UTC, datetime

from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.repeats import Repeats, planned_repeats
from brave_bridge.runner.repeated_proofs import LOCK, REPEATS, place_timer, take_timer_away
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept.proof_schedule import hours_of
from brave_bridge.workbench.proofs.newest_proof import proof_now


def now() -> str:
    """This moment, ISO 8601 in UTC."""
    return datetime.now(UTC).isoformat(timespec="seconds")


def plan_repeats(desk: Desk, row: ProcedureRow, proof: Proof) -> Repeats:
    """Plan the repeated proofs of a crossing that has just ended, by a timer where one is."""
    hours = hours_of(desk.target.kind)
    repeats = planned_repeats(row.id, now(), proof, hours)
    REPEATS.change(desk.machine.state, lambda _: repeats)
    if hours:
        place_timer(desk.machine, row.id)
    return repeats


def prove_again(desk: Desk) -> Proof:
    """Prove now: a repeated proof where such are planned, whether it is due or not."""
    _, proof = prove_what_is_due(desk, though_not_due=True)
    return proof or proof_now(desk)[1]


def forget_repeats(desk: Desk) -> None:
    """Nothing is to be proven again: the machine was returned."""
    REPEATS.change(desk.machine.state, lambda _: Repeats())
    take_timer_away(desk.machine)


def prove_what_is_due(desk: Desk, *, though_not_due: bool = False) -> tuple[Repeats, Proof | None]:
    """Make the repeated proof that is due; none where nothing is, or another is being made."""
    lock = desk.machine.state.hold(LOCK)
    if lock is None:
        return REPEATS.read(desk.machine.state), None
    with lock:
        repeats = REPEATS.read(desk.machine.state)
        wanted = repeats.is_due(now()) or (though_not_due and repeats.due)
        if not wanted or desk.open_procedure() is not None:
            return repeats, None
        row, proof = proof_now(desk)
        if row.id != repeats.crossing:
            forget_repeats(desk)
            return Repeats(), None
        repeats = REPEATS.change(desk.machine.state, lambda known: known.with_proof(proof, now()))
        if repeats.are_done:
            take_timer_away(desk.machine)
        return repeats, proof
