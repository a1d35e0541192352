"""Carrying out procedures in child processes that can be killed at any request."""

import os
import signal
import time
from collections.abc import Callable
from pathlib import Path

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner.briefs import (
    Brief,
    CrossBrief,
    KeptBrief,
    RemedyBrief,
    ReturnBrief,
    SnapshotBrief,
    UpdateBrief,
    encode_brief,
)
from brave_bridge.runner.durable import DurableRun
from brave_bridge.runner.performer import Performer
from brave_bridge.runner.performing.ways_back import about
from brave_bridge.snapshots.description import Snapshot
from brave_bridge.store.logbook import Logbook
from brave_bridge.store.rows import ProcedureRow, QuestionRow, beginning_row
from brave_bridge.workbench.beginning import completed
from brave_bridge.workbench.desk import Desk, stamp
from brave_bridge.workbench.targets import Target
from tests.support.commands import load_for_copies

_KINDS = {
    CrossBrief: "crossing",
    ReturnBrief: "return",
    UpdateBrief: "update",
    RemedyBrief: "remedy",
    SnapshotBrief: "snapshot",
    KeptBrief: "kept-system",
}


def take_snapshot(desk: Desk, reason: str) -> Snapshot:
    """Take one in this process, without a procedure."""
    desk.machine.state.make()
    return desk.snapshots.take(stamp(), about(desk.machine, desk.facts(), reason))


def begin(desk: Desk, brief: Brief, identifier: str = "trial", *, unattended: bool = True) -> str:
    """Write a procedure into the logbook without starting a runner."""
    kind = _KINDS.get(type(brief), "sources")
    content = encode_brief(completed(desk, brief))
    row = beginning_row(identifier, kind, "trial", content, unattended=unattended)
    desk.logbook().begin(row)
    desk.logbook().close()
    return identifier


def carry_out(
    root: Path, name: str, identifier: str, kill_at: tuple[str, int] | None = None
) -> int:
    """Run a stand-in's procedure in a child; its wait status. ``kill_at`` kills it there."""
    return carry_out_on(
        lambda: Desk(Target("demo", name), StandInMachine(name, root)),
        identifier,
        lambda moment, seq, logbook: (moment, seq) == kill_at,
    )


def carry_out_on(
    open_desk: Callable[[], Desk],
    identifier: str,
    shall_die: Callable[[str, int, Logbook], bool] = lambda moment, seq, logbook: False,
) -> int:
    """Run a procedure in a child; its wait status. It kills itself where ``shall_die`` says so."""
    load_for_copies()
    child = os.fork()
    if child == 0:
        code = 1
        try:
            _in_child(open_desk(), identifier, shall_die)
            code = 0
        finally:
            os._exit(code)
    return os.waitpid(child, 0)[1]


def _in_child(desk: Desk, identifier: str, shall_die: Callable[[str, int, Logbook], bool]) -> None:
    def probe(moment: str, seq: int) -> None:
        if shall_die(moment, seq, desk.logbook()):
            os.kill(os.getpid(), signal.SIGKILL)

    performer = Performer(desk.machine, desk.family(), desk.beside, identifier)
    performer.poll_seconds = 0.01
    run = DurableRun(desk.logbook(), performer, identifier, rest=lambda: os._exit(0), probe=probe)
    outcome = run.carry_out()
    desk.logbook().set_state(identifier, outcome.state, outcome)


def outcome_of(root: Path, name: str, identifier: str) -> Outcome | None:
    """What the procedure came to."""
    desk = Desk(Target("demo", name), StandInMachine(name, root))
    row = desk.logbook().procedure(identifier)
    desk.logbook().close()
    return row.outcome


VOLATILE = (
    "run/",
    "proc/",
    "sys/",
    "var/log/",
    "var/cache/apt/archives/",
    "var/lib/tidebase/converted-at",
    "var/lib/licensed/phases.json",
    STATE_FOLDER.lstrip("/") + "/",
)


def contents(root: Path) -> dict[str, bytes | str]:
    """Every file's content and every link's target, but for what differs from run to run."""
    found: dict[str, bytes | str] = {}
    for path in sorted(root.rglob("*")):
        relative = str(path.relative_to(root))
        if relative.startswith(VOLATILE):
            continue
        if path.is_symlink():
            found[relative] = os.readlink(path)
        elif path.is_file():
            found[relative] = path.read_bytes()
    return found


def answering(
    open_desk: Callable[[], Desk], identifier: str, choose: Callable[[QuestionRow], str]
) -> None:
    """Somebody who answers each question of a procedure as it is asked, until it rests or ends.

    A process of its own: a thread could hold the logbook at the moment of a fork.
    """
    between = os.fork()
    if between == 0:
        try:
            if os.fork() == 0:
                _answer_all(open_desk().logbook(), identifier, choose)
        finally:
            os._exit(0)
    os.waitpid(between, 0)


def _answer_all(logbook: Logbook, identifier: str, choose: Callable[[QuestionRow], str]) -> None:
    for _ in range(6000):
        for question in logbook.questions(identifier, open_only=True):
            logbook.answer(identifier, question.key, choose(question), "person")
        if logbook.procedure(identifier).state != "running":
            return
        time.sleep(0.05)


def newest_procedure(tree: Path) -> ProcedureRow:
    """As a tree's own logbook has it, read from outside: what runs in it is not held up."""
    logbook = Desk(Target("tree", str(tree)), TreeMachine("lab", tree)).logbook()
    try:
        return logbook.procedures()[0]
    finally:
        logbook.close()
