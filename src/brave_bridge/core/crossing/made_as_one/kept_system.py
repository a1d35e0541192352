"""Going back to the system of before that the system itself keeps, and keeping that one longer.

It is the system's own way back, beside ours: one of ours is made before it is gone.
"""

from collections.abc import Iterable, Iterator

from brave_bridge.core.crossing.around_restart import AroundRestart, proven_on, surrounded
from brave_bridge.core.crossing.made_as_one.image_settings import restore_settings
from brave_bridge.core.crossing.replies import FactsRead, SnapshotTaken
from brave_bridge.core.crossing.requests import (
    Checkpoint,
    CloseLeg,
    ReadFacts,
    Run,
    Script,
    TakeSnapshot,
)
from brave_bridge.core.crossing.restart import restart_at_once
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, last_words, warned, what_was_seen
from brave_bridge.core.crossing.ways_back.keep_way_back import new_card
from brave_bridge.core.licensed.system import TOOL, KeptSystem, Program
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.ways_back.kept_by_system import kept_by, runs, way_to_it

_UNTOUCHED = "nothing was changed"


def go_back_to_kept(
    reason: str, around: AroundRestart = AroundRestart(), baseline: Facts | None = None
) -> Script[Outcome]:
    """Let the kept system run again; what it lacks then is told, to be installed again.

    It is proven against the ``baseline`` that was read of it before the upgrade.
    """
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    reply = yield from ReadFacts(title="See what is kept")
    if not isinstance(reply, FactsRead):
        return _stopped("ready", what_was_seen(reply))
    before, kept = reply.facts, kept_by(reply.facts)
    if kept is None or kept.gone:
        return _stopped("ready", kept.gone if kept else "no system of before is kept")
    words = f"before going back to {kept.version}: {reason}"
    title = "Take a snapshot of the system of now"
    taken = yield from TakeSnapshot(title=title, reason=words, leg="")
    if not isinstance(taken, SnapshotTaken):
        return _stopped("way back", what_was_seen(taken))
    warnings = yield from new_card()
    yield from Checkpoint(title="Checkpoint: way back", name="way back", leg=0)
    ran = yield from Run(title=f"Let {kept.version} run again", argv=way_to_it(before))
    if not ended_well(ran):
        return _failed("going back", last_words(ran), taken.id, warnings)
    restart = restart_at_once(before, "", "kept-system")
    came = yield from surrounded(around, before, restart)
    warnings += came.warnings
    if came.facts is None or came.faults:
        return _failed("restart", came.failure or "; ".join(came.faults), taken.id, warnings)
    version, build = runs(came.facts)
    if (version, build) != (kept.version, kept.build):
        seen = f"{version}, build {build} came up; {kept.version}, build {kept.build} was kept"
        return _failed("came up", seen, taken.id, warnings)
    if came.facts.image:
        warnings += yield from restore_settings(version)
    # A leg that stands open leads away from the system that came up: nothing is left to go on with.
    warnings += yield from warned(
        CloseLeg(title="No leg is under way any more"), "that a leg was under way is still kept"
    )
    programs = before.licensed.programs if before.licensed else ()
    again = tuple(_words(programs_since(programs, kept)))
    proof = None
    if baseline is None:
        warnings += ("nothing is known of how it was before the upgrade: it is not proven",)
    else:
        proved = yield from proven_on(around, baseline, came.facts.kernel_that_came_up)
        if isinstance(proved, tuple):
            proof = proved[1]
        else:
            warnings += (f"what came up is not proven: {what_was_seen(proved)}",)
    return Outcome(state="done", ways_back=(taken.id,), warnings=warnings, again=again, proof=proof)


def keep_longer(until: str, days: int) -> Script[Outcome]:
    """Have the kept system stay until a day (ISO), which is so many days after the upgrade."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    ran = yield from Run(title=f"Keep it until {until}", argv=(TOOL, "keep", str(days)))
    if not ended_well(ran):
        return _stopped("keeping", last_words(ran))
    reply = yield from ReadFacts(title="See until when it is kept")
    kept = kept_by(reply.facts) if isinstance(reply, FactsRead) else None
    if kept is None or kept.until != until:
        seen = kept.until if kept else what_was_seen(reply) or "nothing is kept"
        return _stopped("keeping", f"the system says {seen}")
    return Outcome(state="done", warnings=(f"{kept.version} is kept until {until}",))


def programs_since(programs: Iterable[Program], kept: KeptSystem) -> tuple[Program, ...]:
    """The programs that were installed since the kept system was left."""
    return tuple(program for program in programs if program.installed >= kept.made)


def _words(programs: Iterable[Program]) -> Iterator[str]:
    yield from (f"{program.name} {program.version}".strip() for program in programs)


def _stopped(at: str, why: str) -> Outcome:
    return Outcome(state="stopped", at=at, why=why, safe=_UNTOUCHED)


def _failed(at: str, why: str, way_back: str, warnings: tuple[str, ...] = ()) -> Outcome:
    return Outcome(
        state="failed",
        at=at,
        why=why,
        safe=f"the way back {way_back} holds the system as it was before",
        next_step=f"brave-bridge return {way_back}",
        ways_back=(way_back,),
        warnings=warnings,
    )
