"""Reading a machine's record for the screen, and the fleet that the screen opens on."""

from collections.abc import Iterable
from datetime import UTC, datetime

import msgspec

from brave_bridge.core.crossing.finish_leg import CAME_UP
from brave_bridge.core.crossing.requests import Checkpoint
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.plan.amounts import amounts, what_else_changes
from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.core.survey.findings import stops
from brave_bridge.drawings.bridge import BridgeState, marks_of
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import MachineError
from brave_bridge.runner.briefs import CrossBrief, KeptBrief, ReturnBrief, is_decision, known_brief
from brave_bridge.runner.repeated_proofs import REPEATS
from brave_bridge.store.faults import DatabaseError
from brave_bridge.store.rows import ProcedureRow, now
from brave_bridge.workbench.boot.past_systems import past_systems
from brave_bridge.workbench.decisions import Decisions, read_decisions
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.members import FleetMember
from brave_bridge.workbench.outlook.next_step import OnTheWay, next_step
from brave_bridge.workbench.record import Fault, Live, MachineRecord, Surveyed
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.ways.ways_back import WaysBack

_OUTPUT_BYTES = 8_000
_OUTPUT_LINES = 40
_START_SECONDS = 20


def read_machine(member: FleetMember, goal: str = "") -> MachineRecord:
    """Read everything about a machine. What fails becomes the record's fault."""
    blank = MachineRecord(name=member.name, about=member.about, words=member.target.words)
    try:
        desk = Desk(member.target)
        return _read(desk, blank, goal)
    except MachineError as error:
        fault = Fault(error.attempted, error.seen, error.remedy)
    except Refused as refusal:
        fault = Fault(refusal.what, refusal.why, refusal.remedy)
    except (DatabaseError, OSError) as error:
        fault = Fault("reading the machine", str(error), "")
    except Exception as error:
        # One machine that cannot be judged must not take the others from the screen.
        told = f"{type(error).__name__}: {error}"
        fault = Fault("judging the machine", told, "this is a fault of Brave Bridge: report it")
    here = OnTheWay(unreadable=fault.why)
    return msgspec.structs.replace(blank, fault=fault, next=next_step(here))


def _read(desk: Desk, blank: MachineRecord, goal: str) -> MachineRecord:
    may_read = desk.reads_records
    ways = WaysBack(desk)
    listed = tuple(ways.listed()) if may_read else ()
    surveyed = desk.survey(goal, listed=tuple(way.kept for way in listed))
    procedures = tuple(desk.procedures()) if may_read else ()
    crosses = surveyed.line is not None and family_named(surveyed.line.family).can_cross
    record = msgspec.structs.replace(
        blank,
        by_own_tools=not crosses,
        surveyed=surveyed,
        goal=surveyed.goal,
        route=surveyed.route,
        **_ways(surveyed, read_decisions(desk.machine) if may_read else Decisions()),
        plan=surveyed.plan,
        ways_back=listed,
        gone=tuple(ways.gone()) if may_read else (),
        set_aside=tuple(ways.set_aside()) if may_read else (),
        past_systems=tuple(past_systems(desk)) if may_read else (),
        procedures=procedures,
        live=read_live(desk) if may_read else None,
        **_proof(procedures, REPEATS.read(desk.machine.state) if may_read else Repeats()),
    )
    return _with_outlook(record, desk)


def _with_outlook(record: MachineRecord, desk: Desk) -> MachineRecord:
    """The record with its next step and its bridge computed from the rest."""
    return msgspec.structs.replace(
        record, next=next_step(_on_the_way(record, desk)), bridge=bridge_of(record)
    )


def watch_machine(desk: Desk, record: MachineRecord) -> MachineRecord:
    """The record with only its newest procedure read anew."""
    return _with_outlook(msgspec.structs.replace(record, live=read_live(desk)), desk)


def _ways(surveyed: Surveyed, decisions: Decisions) -> dict:
    """The routes, the ways that are offered, the track, and what is done of legs."""
    routes = surveyed.routes
    if routes is None:
        return {}
    return {
        "routes": tuple(route for one in surveyed.standings for route in one.later()),
        "choices": routes.offered(surveyed.goal),
        "track": routes.track(),
        "tasks_done": frozenset(decisions.tasks_done),
    }


def _proof(procedures, repeats: Repeats) -> dict:
    done = next((row for row in procedures if row.outcome and row.outcome.proof), None)
    newest = next((row for row in procedures if row.kind in ("crossing", "return")), None)
    went_back = newest is not None and newest.kind == "return" and newest.state == "done"
    if done is None or (went_back and done is not newest):
        return {}
    if repeats.crossing != done.id:
        return {"proof": done.outcome.proof}
    return {"proof": repeats.newest or done.outcome.proof, "repeats": repeats}


def read_live(desk: Desk) -> Live | None:
    """The newest procedure with what its command printed last."""
    rows = [row for row in desk.procedures() if not is_decision(row.brief)]
    if not rows:
        return None
    logbook = desk.logbook()
    entries = tuple(logbook.entries(rows[0].id))
    return Live(
        row=rows[0],
        entries=entries,
        questions=tuple(logbook.questions(rows[0].id)),
        at_work=desk.runner_is_there() or (not entries and _just_began(rows[0])),
        output=_output(desk, entries),
        samples=tuple(logbook.samples(rows[0].id)),
    )


def _just_began(row: ProcedureRow) -> bool:
    """Whether its runner may still be starting."""
    age = datetime.now(UTC) - datetime.fromisoformat(row.began)
    return age.total_seconds() < _START_SECONDS


def _output(desk: Desk, entries) -> tuple[str, ...]:
    """The newest lines of the newest command's output."""
    newest = next((e for e in reversed(entries) if e.kind == "Run"), None)
    if newest is None:
        return ()
    job = newest.job or f"{newest.procedure}-{newest.seq}"
    text = desk.machine.jobs.output_of(job, _OUTPUT_BYTES).decode("utf-8", "replace")
    return tuple(plain(text).splitlines()[-_OUTPUT_LINES:])


def _on_the_way(record: MachineRecord, desk: Desk) -> OnTheWay:
    live, plan, surveyed = record.live, record.plan, record.surveyed
    newest = live.row if live else None
    standing_in_the_way = stops(surveyed.findings)
    asked = live.asked if live else None
    is_open = live is not None and live.is_open
    return OnTheWay(
        by_own_tools=record.by_own_tools,
        first_stop=standing_in_the_way[0].title if standing_in_the_way else "",
        goal=record.goal.title if record.goal else "",
        has_plan=plan is not None,
        plan_words=_plan_words(plan) if plan else "",
        procedure=newest.kind if is_open else "",
        at_work=is_open and live.at_work,
        question=asked.title if asked else "",
        awaits_restart=is_open and _awaits_restart(live),
        open_leg=_open_leg_words(standing_in_the_way),
        failed=newest.outcome.why[:80]
        if newest and newest.state == "failed" and newest.outcome and newest.kind != "remedy"
        else "",
        updates=len(surveyed.updates) if _stands("pending-updates", standing_in_the_way) else 0,
        restart_wanted=_stands("restart-pending", standing_in_the_way),
        proof_failed=record.proof is not None and bool(record.proof.worse),
        proof_unread=record.proof is not None
        and bool(record.proof.not_read)
        and not record.proof.worse,
        proof_due=record.repeats.is_due(now()),
        went_back=_went_back(newest, surveyed.notes),
        tasks_left=_tasks_left(record),
        just_done=f"{newest.title} is done" if newest and newest.state == "done" else "",
        support_days=surveyed.release.support_days(desk.today()) if surveyed.release else None,
    )


def _went_back(newest: ProcedureRow | None, notes: Iterable[FieldNote]) -> str:
    """Why the machine went back last, until a field note was written of it."""
    if newest is None or newest.state != "done":
        return ""
    brief = known_brief(newest.brief)
    if not isinstance(brief, ReturnBrief | KeptBrief) or getattr(brief, "until", ""):
        return ""
    if any(note.written >= newest.began for note in notes):
        return ""
    return plain(brief.reason, 60) or newest.title


def _tasks_left(record: MachineRecord) -> tuple[str, ...]:
    """What the last crossing left to a person and nobody has done."""
    if record.proof is None:
        return ()
    left = record.proof.without_done(record.tasks_done).tasks
    return tuple(plain(task.text, 70) for task in left)


def _awaits_restart(live: Live) -> bool:
    newest = live.entries[-1] if live.entries else None
    return newest is not None and newest.kind == "AwaitRestart" and not newest.ended


def _open_leg_words(findings) -> str:
    leg = next((finding for finding in findings if finding.id == "open-leg"), None)
    return leg.title if leg else ""


def _stands(rule: str, findings) -> bool:
    return any(finding.id == rule for finding in findings)


def _plan_words(plan) -> str:
    upgraded = sum(len(leg.packages.upgraded) for leg in plan.legs)
    lost = sum(len(leg.packages.lost) for leg in plan.legs)
    words = [counted(upgraded, "upgrade")] if upgraded else []
    words += [f"{counted(lost, 'package')} would go away"] if lost else []
    words += [what_else_changes(plan.legs)]
    return ", ".join((*filter(None, words), amounts(plan.legs).partition(",")[0]))


def bridge_of(record: MachineRecord) -> BridgeState:
    """The bridge of a machine: its route, or the crossing that is under way."""
    live = record.live
    if (
        live is not None
        and live.row.kind == "crossing"
        and (
            live.is_open
            or live.row.state == "failed"
            or (live.row.state == "done" and record.plan is None)
        )
    ):
        return crossing_bridge(live)
    name = record.surveyed.line.name if record.surveyed and record.surveyed.line else ""
    here = record.surveyed.release if record.surveyed else None
    first = f"{name} {here.version}" if here else name or "unknown"
    titles = [first, *(leg.end.title for leg in record.route.legs)] if record.route else [first]
    later = [
        r
        for r in (record.surveyed.line.releases if record.surveyed.line else ())
        if r.released is None
    ]
    beyond = f"{later[0].version} (not out yet)" if later and record.route else ""
    family = surveyed.facts.family if (surveyed := record.surveyed) else ""
    return BridgeState(tuple(titles), 0, False, beyond, marks_of(_checkpoints(family)))


def _checkpoints(family: str) -> tuple[str, ...]:
    """Where a leg of a family can rest; what every leg has where nothing carries its legs out."""
    procedure = family_named(family).procedure
    own = procedure.checkpoints if procedure else ("ready", "way back")
    return (*own, CAME_UP)


def crossing_bridge(live: Live) -> BridgeState:
    """The bridge of a crossing as far as it has come."""
    brief = known_brief(live.row.brief)
    if not isinstance(brief, CrossBrief):
        return BridgeState((live.row.title,))
    titles = [plan.leg.start.title for plan in brief.plans]
    titles.append(brief.plans[-1].leg.end.title)
    order = _checkpoints(brief.family)
    marks = marks_of(order)
    passed = 0
    for entry in live.entries:
        if entry.kind == "Checkpoint" and entry.ok:
            checkpoint = entry.asked_as(Checkpoint)
            if checkpoint and checkpoint.name in order:
                passed = checkpoint.leg * len(marks) + order.index(checkpoint.name) + 1
    if live.row.state == "done":
        passed = len(brief.plans) * len(marks)
    return BridgeState(tuple(titles), passed, live.row.state == "failed", marks=marks)
