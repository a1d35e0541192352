"""The script that boots a kernel once: back by itself where it fails, the default once proven."""

import msgspec

from brave_bridge.core.crossing.around_restart import AroundRestart, proven_on, surrounded
from brave_bridge.core.crossing.baseline import NoBaseline, read_baseline, told_of
from brave_bridge.core.crossing.requests import Checkpoint, EndTrial, Script
from brave_bridge.core.crossing.restart import CameUp, Trial, on_trial, restart_on_trial
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import warned, what_was_seen
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.survey.facts import Facts

_KEY = "boot-once"


def boot_once(kernel: str, around: AroundRestart = AroundRestart()) -> Script[Outcome]:
    """Have a kernel tried at the next boot; prove the machine on it, and keep it then.

    Refused where nothing would bring the machine back.
    """
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    before = yield from read_baseline("Read the baseline", around.checks)
    if isinstance(before, NoBaseline):
        return _stopped("ready", before.why, before.next_step)
    if before.kernel_that_came_up == kernel:
        return _stopped("ready", f"{kernel} is what runs", "nothing to do")
    trial = yield from on_trial(before, kernel, _KEY)
    if not trial.armed:
        return _stopped("trial", " ".join(trial.words) or "no boot loader is known here")
    outcome = yield from _tried(before, kernel, trial, around)
    told = told_of(before) + outcome.warnings
    return msgspec.structs.replace(outcome, warnings=told)


def _tried(before: Facts, kernel: str, trial: Trial, around: AroundRestart) -> Script[Outcome]:
    restart = restart_on_trial(before, trial, kernel, _KEY)
    came = yield from surrounded(around, before, restart)
    if came.not_begun:
        return (yield from _taken_back(kernel, came))
    yield from Checkpoint(title="Checkpoint: came up", name="came up", leg=0)
    if came.facts is None or came.faults:
        why = came.failure or "; ".join(came.faults)
        return _failed(before, came, "came up", why)
    proved = yield from proven_on(around, before, kernel)
    if not isinstance(proved, tuple):
        return _failed(before, came, "proof", what_was_seen(proved))
    after, proof = proved
    if lacking := _lacking(after, kernel):
        return _failed(before, came, "options", f"{kernel} lacks: {lacking}")
    if not proof.passed:
        told = proof.worse or proof.not_read
        why = "; ".join(f"{point.subject}: {point.meaning}" for point in told[:3])
        return _failed(before, came, "proof", why, proof)
    told = yield from warned(
        EndTrial(title=f"Make {kernel} the default", kernel=kernel),
        "it is not the default yet",
    )
    return Outcome(state="done", proof=proof, warnings=came.warnings + told)


def _taken_back(kernel: str, came: CameUp) -> Script[Outcome]:
    """Nothing was restarted: the next boot, whoever asks for it, is as it would have been."""
    told = yield from warned(
        EndTrial(title="Take the trial back"), f"the next boot still takes {kernel}, once"
    )
    outcome = _stopped("restart", came.failure, "mend the cause, then try it again")
    return msgspec.structs.replace(outcome, warnings=came.warnings + told)


def _lacking(facts: Facts, kernel: str) -> str:
    """What a kernel that was built here must have and has not, read back from the booted one."""
    built = next((one for one in facts.built if one.release == kernel), None)
    return "; ".join(built.faults[:4]) if built else ""


def _stopped(at: str, why: str, next_step: str = "") -> Outcome:
    return Outcome(state="stopped", at=at, why=why, safe="nothing was changed", next_step=next_step)


def _failed(before: Facts, came: CameUp, at: str, why: str, proof: Proof | None = None) -> Outcome:
    good = before.kernel_that_came_up
    runs = came.facts.kernel_that_came_up if came.facts else ""
    again = "what it said at its console tells why; try again: brave-bridge boot-once"
    return Outcome(
        state="failed",
        at=at,
        why=why,
        safe=f"{good} runs, and every boot takes it"
        if runs == good
        else f"every further boot takes {good}",
        next_step=again if runs == good else f"restart to have {good} again",
        proof=proof,
        warnings=came.warnings,
    )
