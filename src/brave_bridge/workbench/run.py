"""The runner's process: carries out one procedure of one machine, then ends."""

import os
import sys
import traceback
from collections.abc import Callable
from functools import partial

import msgspec

from brave_bridge.core.crossing.replies import StopsSeen
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.surroundings import Surroundings, leave
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.survey.findings import stops
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.runtime import own_runtime
from brave_bridge.runner import after_boot
from brave_bridge.runner.briefs import decode_brief, surroundings_of
from brave_bridge.runner.durable import BegunByAnotherVersion, DurableRun
from brave_bridge.runner.inline import drive
from brave_bridge.runner.launch import lock_runner
from brave_bridge.runner.own_runtime import load_all
from brave_bridge.runner.performer import Performer
from brave_bridge.runner.placed_units import runs_systemd
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.beginning import Order, record
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.proofs.proving import forget_repeats, plan_repeats
from brave_bridge.workbench.readiness import Readiness
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import parse_words


def main(words: list[str]) -> int:
    """Carry out the procedure that the last word names, on the target the others name."""
    *target, identifier = words
    return carry_out(Desk(parse_words(target)), identifier)


def begin(order: bytes) -> tuple[str, Callable[[], int]]:
    """Begin what an order of ``beginning`` says; the procedure's id, and how to carry it out.

    The id is empty where that is refused.
    """
    ordered = decode_json(order, Order)
    desk = Desk(parse_words(ordered.target))
    brief = decode_brief(ordered.brief)
    try:
        identifier = record(desk, ordered.kind, ordered.title, brief, ordered.unattended)
    except Refused as refusal:
        print(refusal)
        return "", lambda: 1
    return identifier, partial(carry_out, desk, identifier)


def carry_out(desk: Desk, identifier: str) -> int:
    """Carry out a procedure at its machine's desk; does nothing where another process does."""
    if desk.machine.is_this_system and own_runtime() is None:
        load_all()
    if not desk.machine.state.is_there():
        # Taken away meanwhile, with all that was to be done: what starts us must not stay.
        _carefully("what was arranged for the next boot stays", after_boot.clear, desk.machine)
        return 0
    lock = lock_runner(desk.machine.state)
    if lock is None:
        return 0
    row = desk.logbook().procedure(identifier)
    if row is None or row.state not in ("running", "resting"):
        # Killed between its outcome and its end, it may have left what starts it at a boot.
        _carefully("what was arranged for the next boot stays", after_boot.clear, desk.machine)
        return 0
    performer = Performer(desk.machine, desk.family(), desk.beside, identifier)
    performer.judge = partial(_stops_on_the_way, desk)
    if desk.machine.is_this_system and runs_systemd(desk.machine):
        performer.held_off.begin()
    run = DurableRun(desk.logbook(), performer, identifier, rest=lambda: os._exit(0))
    try:
        outcome = run.carry_out()
    except BegunByAnotherVersion as fault:
        why = f"begun by another version of Brave Bridge: {fault}"
        outcome = _given_up(desk, performer, row, Outcome(state="stopped", at="going on", why=why))
    except Exception as error:
        traceback.print_exc()
        why = f"{type(error).__name__}: {error}"
        fault = Outcome(state="failed", at="the runner itself", why=why)
        outcome = _given_up(desk, performer, row, fault)
    if row.kind == "update":
        Readiness(desk).note_refresh(outcome.failed_sources)
    told = _see_to_repeats(desk, row, outcome)
    told += _carefully("what was arranged for the next boot stays", after_boot.clear, desk.machine)
    outcome = msgspec.structs.replace(outcome, warnings=outcome.warnings + told)
    desk.logbook().set_state(identifier, outcome.state, outcome)
    lock.close()
    return 0


def _see_to_repeats(desk: Desk, row: ProcedureRow, outcome: Outcome) -> tuple[str, ...]:
    """Plan the repeated proofs of a crossing, end them for a return; what went wrong with it."""
    if row.kind == "crossing" and outcome.proof is not None:
        planned = (plan_repeats, desk, row, outcome.proof)
        return _carefully("it will not be proven again by itself", *planned)
    if row.kind == "return" and outcome.state == "done":
        return _carefully("repeated proofs are still planned", forget_repeats, desk)
    return ()


def _carefully(words: str, deed: Callable[..., object], *about: object) -> tuple[str, ...]:
    """Do what must not keep an outcome from being recorded; where it fails, a warning."""
    try:
        deed(*about)
    except MachineError as error:
        return (f"{words}: {error.attempted}: {error.seen}",)
    return ()


def _stops_on_the_way(desk: Desk, to: str) -> StopsSeen:
    """What stands in the way of the next leg of a crossing that is under way."""
    found = stops(desk.survey(to).findings)
    return StopsSeen(tuple(one.title for one in found), found[0].remedy if found else "")


def _given_up(desk: Desk, performer: Performer, row: ProcedureRow, outcome: Outcome) -> Outcome:
    """The outcome of a procedure that cannot go on, once what it had entered is left again."""
    performer.unguard()
    # A performer of its own: jobs of the procedure's numbers have run already.
    again = Performer(desk.machine, desk.family(), desk.beside, f"{row.id}-leave")
    try:
        entered = surroundings_of(decode_brief(row.brief))
    except msgspec.DecodeError:
        entered = Surroundings()
    return msgspec.structs.replace(
        outcome,
        safe="every snapshot is untouched",
        next_step="brave-bridge ways-back, then brave-bridge return ID",
        ways_back=tuple(snapshot.id for snapshot in desk.snapshots.all()[-1:]),
        warnings=drive(leave(entered), again),
    )


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
