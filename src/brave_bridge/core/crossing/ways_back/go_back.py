"""The script of a return: the machine becomes what its way back holds, and it is shown."""

from collections.abc import Callable, Iterator

import msgspec

from brave_bridge.core.crossing.ahead import nothing_ahead
from brave_bridge.core.crossing.around_restart import AroundRestart
from brave_bridge.core.crossing.prove_patiently import prove_patiently
from brave_bridge.core.crossing.replies import (
    BootChecked,
    Compared,
    FactsRead,
    Failed,
    Reply,
    Restarted,
    Restored,
)
from brave_bridge.core.crossing.requests import (
    AwaitJobs,
    CheckBoot,
    Checkpoint,
    CloseLeg,
    CompareWithSnapshot,
    ReadFacts,
    Restart,
    RestoreSnapshot,
    Run,
    Script,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, warned, what_was_seen
from brave_bridge.core.crossing.surroundings import Surroundings, enter, leave
from brave_bridge.core.formats.text import shortened
from brave_bridge.core.proof.alike import both, hold_against
from brave_bridge.core.proof.compare import Proof, proof_of, prove_return
from brave_bridge.core.survey.facts import Facts

LEFT_BEHIND_SECONDS = 15 * 60
"""How long a return waits for a package manager that a crossing before left at work."""


class GoingBack:
    """A return: what is put back, and what it is surrounded by.

    ``check`` is None for a family that has none yet. ``surroundings`` are those of a crossing
    that was given up; they are left at the end, as are those of a restart.
    """

    def __init__(
        self,
        way_back: str,
        check: Callable[[], Run] | None,
        surroundings: Surroundings = Surroundings(),
        around: AroundRestart = AroundRestart(),
    ) -> None:
        self.way_back = way_back
        self.check = check
        self.entered = surroundings
        self.around = around
        self.runs_of_before = False
        """Whether what runs is of before the return until somebody restarts the machine."""

    def carry_out(
        self, baseline: Facts | None = None, *, skip_damaged: bool = False
    ) -> Script[Outcome]:
        """Restore a snapshot, let the package manager check itself, compare by content; prove it.

        ``baseline`` is what was read of the machine before the snapshot was taken, where that is
        known; ``skip_damaged``: see RestoreSnapshot.
        """
        outcome = yield from self._restored(skip_damaged)
        warnings = yield from leave(self.entered)
        outcome = msgspec.structs.replace(outcome, warnings=outcome.warnings + warnings)
        if outcome.state != "done" or baseline is None or self.runs_of_before:
            return outcome
        return (yield from self._proven(outcome, baseline))

    def _restored(self, skip_damaged: bool) -> Script[Outcome]:
        way_back, warnings = self.way_back, ()
        yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
        # The runner of a crossing that is given up may be gone while its package manager writes.
        reply = yield from AwaitJobs(
            title="Wait for what still runs of a procedure before",
            limit_seconds=LEFT_BEHIND_SECONDS,
        )
        if isinstance(reply, Failed):
            return _not_back(way_back, "ready", reply)
        reply = yield from RestoreSnapshot(
            title=f"Put back what {way_back} holds", snapshot=way_back, skip_damaged=skip_damaged
        )
        if not isinstance(reply, Restored):
            return _not_back(way_back, "restore", reply)
        restored = reply
        if reply.restart_needed:
            reply, warnings = yield from self._restarted()
            if not isinstance(reply, Restarted):
                return _not_back(way_back, "restart", reply)
        self.runs_of_before = bool(restored.running_since_ns) and not restored.restart_needed
        since: tuple[str, ...] = ()
        proof = None
        if not restored.used_up:
            # Before anything runs on it: a package manager's check may write.
            reply = yield from CompareWithSnapshot(
                title="Compare the machine with the snapshot, every file read",
                snapshot=way_back,
                but_for=restored.skipped,
                since_ns=0 if restored.restart_needed else restored.running_since_ns,
            )
            if not isinstance(reply, Compared) or reply.count:
                return _not_back(way_back, "comparison", reply)
            since = reply.since
            proof = prove_return(way_back, 0, (), len(since))
        # The snapshot was taken while it was fetched ahead.
        yield from nothing_ahead()
        checked = yield from _checked(self.check if not restored.aside else None)
        still_open = yield from warned(
            CloseLeg(title="No leg is under way any more"),
            "that a leg was under way is still kept",
        )
        warnings += tuple(_of_what_runs(since)) if self.runs_of_before else ()
        warnings += yield from _boot_warnings(way_back, restored)
        warnings += checked + still_open
        return Outcome(state="done", ways_back=(way_back,), warnings=warnings, proof=proof)

    def _restarted(self) -> Script[tuple[Reply, tuple[str, ...]]]:
        """Restart into what came back; the runner goes on afterwards. No guest holds it up."""
        reply = yield from ReadFacts(title="See which boot this is")
        if not isinstance(reply, FactsRead):
            return reply, ()
        around = self.around.at(reply.facts)
        told = yield from enter(around)
        self.entered = self.entered.and_those(around)
        title = "Restart into the system that came back"
        return (yield from Restart(title=title, boot_id=reply.facts.boot.id)), told

    def _proven(self, outcome: Outcome, baseline: Facts) -> Script[Outcome]:
        """Hold what runs against what was read before the way back was taken."""

        def judged(after: Facts) -> Proof:
            if baseline.runs and not after.runs:
                # Only its files can be seen: they were compared, each of them.
                return outcome.proof or proof_of(())
            held = hold_against(baseline, after)
            return both(outcome.proof, held) if outcome.proof else held

        proved = yield from prove_patiently(baseline, judged, self.around.checks)
        if isinstance(proved, tuple):
            return msgspec.structs.replace(outcome, proof=proved[1])
        told = f"what runs is not proven: {what_was_seen(proved)}"
        return msgspec.structs.replace(outcome, warnings=(*outcome.warnings, told))


def _checked(check: Callable[[], Run] | None) -> Script[tuple[str, ...]]:
    """What the package manager's own check says against what came back, which is what was kept."""
    if check is None:
        return ()
    reply = yield from check()
    if ended_well(reply):
        return ()
    said = what_was_seen(reply) if isinstance(reply, Failed) else getattr(reply, "output", "")
    said = " ".join(said.split())[-300:] or "no word"
    return (f"all is back as it was kept; the package manager's own check did not pass: {said}",)


def _of_what_runs(since: tuple[str, ...]) -> Iterator[str]:
    """What a person has to know of a system that ran while it was put back."""
    yield (
        "restart the machine next: until then what runs is of before the return, the init that "
        "starts services among it; then prove it: brave-bridge proof"
    )
    if since:
        yield f"written by what runs since it was put back: {', '.join(shortened(since, 5))}"


def _boot_warnings(way_back: str, restored: Restored) -> Script[tuple[str, ...]]:
    warnings = [
        f"the system of before is set aside as {name}; when all is well: brave-bridge delete {name}"
        for name in restored.aside
    ]
    warnings += restored.told
    if restored.used_up:
        mounts = ", ".join(restored.used_up)
        return (*warnings, f"{mounts} became the snapshot: it is no way back any more")
    reply = yield from CheckBoot(title="See that its kernel can boot", snapshot=way_back)
    if isinstance(reply, Failed):
        warnings.append(f"whether it can boot is not known: {what_was_seen(reply)}")
    elif isinstance(reply, BootChecked):
        warnings += [f"before a restart: {fault}" for fault in reply.faults]
    return tuple(warnings)


def _not_back(way_back: str, at: str, reply) -> Outcome:
    if isinstance(reply, Failed):
        why = what_was_seen(reply)
    elif isinstance(reply, Compared):
        why = f"{reply.count} paths differ: " + "; ".join(reply.examples[:3])
    else:
        why = "something else than was asked for was answered"
    return Outcome(
        state="failed",
        at=at,
        why=why,
        safe=f"the way back {way_back} is untouched; a return can be run again at any time",
        next_step=f"brave-bridge return {way_back}",
        ways_back=(way_back,),
    )
