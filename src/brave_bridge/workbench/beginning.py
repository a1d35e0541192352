"""Beginning a procedure: it is written into the logbook, and a runner of its own carries it out.

Where a runner is loaded already it writes it itself: then its command need not load the logbook
before anything happens.
"""

import signal
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from importlib import import_module
from pathlib import Path

import msgspec

from brave_bridge.core.crossing.around_restart import AroundRestart
from brave_bridge.core.crossing.stage import ended_well, why_it_failed
from brave_bridge.core.crossing.surroundings import Surroundings
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import stops
from brave_bridge.core.survey.platform import PAST_MARK
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.runtime import own_runtime
from brave_bridge.runner import launch
from brave_bridge.runner.briefs import (
    SCRIPT_VERSION,
    Brief,
    CrossBrief,
    KeptBrief,
    ReturnBrief,
    decode_brief,
    encode_brief,
    surroundings_of,
)
from brave_bridge.runner.own_runtime import KEPT_RUNTIME, RuntimeFault, load_all, make_runtime
from brave_bridge.runner.starter import keep_starting
from brave_bridge.store.faults import DatabaseError
from brave_bridge.store.rows import ProcedureRow, beginning_row
from brave_bridge.workbench.decisions import maintenance_in, read_decisions, surroundings_for
from brave_bridge.workbench.desk import Desk, stamp
from brave_bridge.workbench.kept.own_checks import all_checks, checks_for
from brave_bridge.workbench.proofs.newest_proof import baseline_before
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.refusal import Refused

KEEPING = "keep past"
"""The kind of procedure that may begin on a past system."""


class Order(msgspec.Struct):
    """What a runner is to begin: the words that name the machine, and the procedure."""

    target: tuple[str, ...]
    kind: str
    title: str
    brief: bytes
    unattended: bool


def begin(desk: Desk, kind: str, title: str, brief: Brief, unattended: bool) -> str:
    """Write a procedure into the logbook and start its runner; the procedure's id.

    Refused where another has not ended; a return takes the place of one that waits.
    """
    _must_run_its_own_system(desk, kind)
    desk.beside.returning.finish_exchange()
    desk.machine.state.make()
    runtime = _runtime(desk, kind)
    if runtime is None and not launch.is_service(desk.target.words):
        order = Order(desk.target.words, kind, title, encode_brief(brief), unattended)
        if identifier := _begun_by_ready_runner(desk, order):
            return identifier
    identifier = record(desk, kind, title, brief, unattended)
    _start(desk, identifier, runtime)
    return identifier


def begin_crossing(
    desk: Desk, plan: KeptPlan, *, unattended: bool, facts: Facts | None = None
) -> str:
    """Begin to cross an approved plan in a runner of its own; the procedure's id.

    ``facts`` are those of the machine where they were read just now.
    """
    surveyed = desk.survey(plan.to, facts)
    found = stops(surveyed.findings)
    if found:
        raise Refused("crossing", "; ".join(f.title for f in found), found[0].remedy)
    must_run_commands(desk, surveyed.line.family)
    title = f"{plan.legs[0].leg.start.title} to {plan.legs[-1].leg.end.title}"
    seconds = surveyed.estimate.seconds if surveyed.estimate else 0.0
    around = surroundings_for(read_decisions(desk.machine), surveyed.facts)
    checks = checks_for(desk.target.kind, desk.machine.name, surveyed.facts)
    brief = CrossBrief(surveyed.line.family, plan.legs, seconds, around, checks=checks)
    return begin(desk, "crossing", title, brief, unattended)


def go_on(desk: Desk, *, unattended: bool = False) -> str:
    """Go on with the procedure that has not ended, or with the leg that one left open.

    Its id; Refused where nothing is under way.
    """
    waiting = desk.open_procedure()
    if waiting is None:
        return begin_again(desk, unattended=unattended)
    is_there = launch.runner_is_there(desk.machine.state)
    runtime = None if is_there else _runtime(desk, waiting.kind)
    desk.logbook().ask_to_rest(waiting.id, False)
    if unattended:
        desk.logbook().take_defaults(waiting.id)
    desk.logbook().set_state(waiting.id, "running")
    if not is_there:
        _start(desk, waiting.id, runtime)
    return waiting.id


def begin_again(
    desk: Desk,
    theirs: Iterable[str] = (),
    wanted: Iterable[tuple[str, str]] = (),
    *,
    unattended: bool = False,
) -> str:
    """Go on with the leg that a crossing left open; the id of the procedure.

    ``theirs`` are config files whose new version shall be taken after all, ``wanted`` more
    preferences about packages, each its kind and the slot. Refused where no leg is open.
    """
    leg = desk.open_leg()
    if leg is None:
        raise Refused("going on", "nothing is under way on this machine")
    plans = leg.plans
    for path in theirs:
        plans = tuple(plan.with_answer(path, "theirs") for plan in plans)
    for kind, slot in wanted:
        plans = tuple(plan.with_preference(kind, slot) for plan in plans)
    around = surroundings_for(read_decisions(desk.machine), desk.facts())
    begun = msgspec.structs.replace(leg, plans=plans)
    checks = checks_for(desk.target.kind, desk.machine.name, leg.baseline)
    brief = CrossBrief(leg.family, plans, 0.0, around, begun, checks)
    return begin(desk, "crossing", f"on with {leg.title}", brief, unattended)


def record(desk: Desk, kind: str, title: str, brief: Brief, unattended: bool) -> str:
    """Write a procedure into the logbook; its id. Refused where another has not ended."""
    desk.set_aside_damage()
    # Of two that begin at once the second finds what the first has written.
    with desk.machine.state.changing("begin"):
        waiting = desk.open_procedure()
        _must_be_free(desk, kind, waiting)
        if waiting is not None:
            desk.logbook().set_state(waiting.id, "stopped")
            brief = _leaving(brief, waiting)
        brief = completed(desk, brief)
        identifier = f"{stamp()}-{kind}"
        desk.logbook().begin(
            beginning_row(
                identifier,
                kind,
                title,
                encode_brief(brief),
                unattended=unattended,
                version=SCRIPT_VERSION,
            )
        )
    return identifier


def completed(desk: Desk, brief: Brief) -> Brief:
    """A brief with what surrounds a restart of this machine, and what a return is held against."""
    if hasattr(brief, "around"):
        maintenance = maintenance_in(read_decisions(desk.machine))
        around = AroundRestart(maintenance, _checks_of(desk))
        brief = msgspec.structs.replace(brief, around=around)
    if isinstance(brief, ReturnBrief | KeptBrief):
        way_back = brief.way_back if isinstance(brief, ReturnBrief) else ""
        brief = msgspec.structs.replace(brief, baseline=_baseline_of(desk, way_back))
    return brief


def _checks_of(desk: Desk) -> tuple[OwnCheck, ...]:
    """A person's checks of the machine; none where it cannot be told what it is.

    A return needs nothing but the snapshot and the tree.
    """
    kind = desk.target.kind
    try:
        if not all_checks(kind):
            return ()
        return checks_for(kind, desk.machine.name, desk.facts())
    except (MachineError, Refused):
        return ()


def _baseline_of(desk: Desk, way_back: str) -> Facts | None:
    """What a return is held against; where the logbook cannot tell, it goes back all the same."""
    try:
        return baseline_before(desk, way_back)
    except (MachineError, DatabaseError):
        return None


def _must_be_free(desk: Desk, kind: str, waiting: ProcedureRow | None) -> None:
    if waiting is not None and not (kind == "return" and waiting.kind != "return"):
        raise Refused(
            kind,
            f"{waiting.kind} {waiting.id} has not ended",
            "go on with it: brave-bridge go-on",
        )
    if launch.runner_is_there(desk.machine.state):
        raise Refused(kind, "a runner is at work on this machine")


def _leaving(brief: Brief, waiting: ProcedureRow) -> Brief:
    """A return's brief with what the procedure that is given up for it had entered.

    That is nothing where another version began it.
    """
    if not isinstance(brief, ReturnBrief):
        return brief
    try:
        entered = surroundings_of(decode_brief(waiting.brief))
    except msgspec.DecodeError:
        entered = Surroundings()
    return msgspec.structs.replace(brief, surroundings=entered)


def _begun_by_ready_runner(desk: Desk, order: Order) -> str:
    """Have the runner that is loaded already begin a procedure; its id.

    Empty where there is none, or it did not: then it is tried here, which says why.
    """
    ready, desk.ready = desk.ready, None
    if ready is None:
        return ""
    place = desk.machine.state.here(launch.LOG_FILE)
    with _not_interrupted():
        if not ready.ask(msgspec.json.encode(order), place):
            return ""
        # What is watched with, loaded while that begins.
        import_module("brave_bridge.store.logbook")
        return ready.answer()


@contextmanager
def _not_interrupted() -> Iterator[None]:
    """Ctrl-C is not heard meanwhile: whether something was begun must be known."""
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def must_run_commands(desk: Desk, family: str) -> None:
    """Refused where the machine's package manager cannot even be started."""
    if not family_named(family).can_cross:
        raise Refused("crossing", f"machines of the {family} family cannot cross yet")
    manager = family_named(family).commands
    if manager is None:
        return
    reply = desk.performer("answers").perform(0, manager.answers(), lambda *_: None)
    if not ended_well(reply):
        why = f"no command runs there: {why_it_failed(manager, reply)}"
        raise Refused("crossing", why, "mend that; nothing was changed")


def _must_run_its_own_system(desk: Desk, kind: str) -> None:
    """Refused on a past system: what is done there is gone after the next restart."""
    past = desk.machine.files.read_if_there(PAST_MARK, 200)
    if past is not None and kind != KEEPING:
        raise Refused(
            kind,
            "the machine was started in a past system, beside its own",
            "keep it (brave-bridge keep-past), or restart into the system of now",
        )


def _runtime(desk: Desk, kind: str) -> Path | None:
    """A runtime that outlives a procedure which replaces what we run on; None: none is needed.

    Refused where a crossing needs one and none can be made; a return is always let through.
    """
    if kind not in ("crossing", "return") or not desk.machine.is_this_system or own_runtime():
        return None
    try:
        runtime = make_runtime(KEPT_RUNTIME)
        keep_starting(runtime)
    except (RuntimeFault, OSError) as fault:
        if kind == "return":
            return None
        raise Refused(
            kind,
            f"no runtime of its own could be made, and the leg replaces this one: {fault}",
            "mend that, or cross with the bundle, which needs nothing of the system",
        ) from fault
    load_all()
    return runtime


def _start(desk: Desk, identifier: str, runtime: Path | None) -> None:
    ready, desk.ready = desk.ready, None
    launch.start_runner(desk.target.words, identifier, desk.machine.state, runtime, ready)
