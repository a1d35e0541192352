"""The steps that only a person can do: of the legs ahead, and of those that were crossed last."""

from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.text import counted
from brave_bridge.core.kernels.keeping import old_kernels
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.runner.briefs import ReturnBrief, known_brief
from brave_bridge.workbench.boot.kernels import kernels_of_ways_back
from brave_bridge.workbench.decisions import read_decisions, toggle_task
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused

KEPT = "kept-system"
"""The kind of the procedure that goes back to the system that an upgrade kept."""


class Task(msgspec.Struct, frozen=True):
    """One step. ``when`` is ``before`` or ``after`` the leg; ``leg`` its title."""

    key: str
    leg: str
    when: str
    text: str
    is_done: bool


def tasks_of(desk: Desk, to: str = "") -> tuple[Task, ...]:
    """All that a person has to do, what is left of the newest crossing first."""
    done = frozenset(read_decisions(desk.machine).tasks_done)
    newest = _newest_that_stands(desk)
    proof = newest.proof if newest else None
    found = {task.key: task for task in (*_again(desk, done), *_left(proof, done))}
    facts = desk.facts()
    names = {package.name for package in facts.installed}
    legs = _legs_ahead(desk, facts, to)
    found |= {task.key: task for task in _ahead(legs, names, done)}
    if proof is not None and proof.passed:
        found |= {task.key: task for task in _kernels(desk, facts, done)}
    return tuple(found.values())


def _legs_ahead(desk: Desk, facts: Facts, to: str) -> tuple[Leg, ...]:
    """The legs ahead; none at the end of every leg. Refused where ``to`` is no goal."""
    try:
        return desk.routes(facts, to).named(to).legs
    except Refused:
        if to:
            raise
        return ()


def _kernels(desk: Desk, facts: Facts, done: frozenset[str]) -> Iterator[Task]:
    """The kernels that may go by now: a leg that was proven needs those of before no more."""
    old = tuple(old_kernels(facts, spared=kernels_of_ways_back(desk)))
    if old:
        key = f"old-kernels:{old[-1]}"
        words = f"Take {counted(len(old), 'old kernel')} away: brave-bridge remove-kernels --old"
        yield Task(key, "the newest crossing", "after", f"{words} ({', '.join(old)})", key in done)


def _left(proof: Proof | None, done: frozenset[str]) -> Iterator[Task]:
    for task in proof.tasks if proof else ():
        yield Task(task.key, "the newest crossing", "after", task.text, task.key in done)


def _again(desk: Desk, done: frozenset[str]) -> Iterator[Task]:
    """What to install again, where the newest change of system was a going back to a kept one."""
    changes = (row for row in desk.procedures() if row.kind in ("crossing", KEPT))
    newest = next(changes, None)
    if newest is None or newest.kind != KEPT or newest.outcome is None:
        return
    for words in newest.outcome.again:
        key = f"again:{words.partition(' ')[0]}"
        yield Task(key, newest.title, "after", f"Install {words} again", key in done)


def _newest_that_stands(desk: Desk) -> Outcome | None:
    """What the newest crossing came to that nobody returned from."""
    made = {kept.snapshot.id: kept.snapshot.created for kept in desk.snapshots.listed()}
    returned_to: set[str] = set()
    for row in desk.procedures():
        if row.kind == "return" and row.state == "done":
            brief = known_brief(row.brief)
            returned_to |= {brief.way_back} if isinstance(brief, ReturnBrief) else set()
        if row.kind == "crossing" and row.outcome is not None:
            before = {way for way in returned_to if made.get(way, row.ended) <= row.ended}
            return None if before else row.outcome
    return None


def _ahead(legs: Iterable[Leg], names: set[str], done: frozenset[str]) -> Iterator[Task]:
    for leg in legs:
        for task in leg.tasks:
            if task.concerns(names):
                key = task.key_in(leg.key)
                yield Task(key, leg.title, task.when, task.text, key in done)


def tick(desk: Desk, tasks: Iterable[Task], key: str, *, is_done: bool) -> tuple[Task, ...]:
    """The tasks with one noted as done, or as not; Refused where none has that name."""
    known = {task.key: task for task in tasks}
    if key not in known:
        names = ", ".join(known) or "none"
        raise Refused("ticking a task", f"there is no task {key!r}", f"there are: {names}")
    if known[key].is_done is not is_done:
        toggle_task(desk.machine, key)
        known[key] = msgspec.structs.replace(known[key], is_done=is_done)
    return tuple(known.values())
