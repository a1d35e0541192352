"""The script of a return: the machine becomes what its way back holds, and it is shown."""

from collections.abc import Callable

import msgspec

from brave_bridge.core.crossing.requests import (
    Checkpoint,
    Compared,
    CompareWithSnapshot,
    Failed,
    Restored,
    RestoreSnapshot,
    Run,
    Script,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, what_was_seen
from brave_bridge.core.crossing.surroundings import Surroundings, leave


def go_back(
    way_back: str, check: Callable[[], Run], surroundings: Surroundings = Surroundings()
) -> Script[Outcome]:
    """Restore a snapshot, let the package manager check itself, compare by content.

    ``surroundings`` are those of a crossing that was given up; they are left at the end.
    """
    outcome = yield from _restored(way_back, check)
    warnings = yield from leave(surroundings)
    return msgspec.structs.replace(outcome, warnings=warnings)


def _restored(way_back: str, check: Callable[[], Run]) -> Script[Outcome]:
    yield Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    reply = yield RestoreSnapshot(title=f"Put back what {way_back} holds", snapshot=way_back)
    if not isinstance(reply, Restored):
        return _not_back(way_back, "restore", reply)
    reply = yield check()
    if not ended_well(reply):
        return _not_back(way_back, "check", reply)
    reply = yield CompareWithSnapshot(
        title="Compare the machine with the snapshot", snapshot=way_back
    )
    if not isinstance(reply, Compared) or reply.count:
        return _not_back(way_back, "comparison", reply)
    return Outcome(state="done", ways_back=(way_back,))


def _not_back(way_back: str, at: str, reply) -> Outcome:
    if isinstance(reply, Failed):
        why = what_was_seen(reply)
    elif isinstance(reply, Compared):
        why = f"{reply.count} paths differ: " + "; ".join(reply.examples[:3])
    else:
        why = "the package manager's check: " + getattr(reply, "output", "")[-300:]
    return Outcome(
        state="failed",
        at=at,
        why=why,
        safe=f"the way back {way_back} is untouched; a return can be run again at any time",
        next_step=f"brave-bridge return {way_back}",
        ways_back=(way_back,),
    )
