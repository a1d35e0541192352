"""The script of a remedy: a finding's commands, one after the other, on the record."""

import msgspec

from brave_bridge.core.crossing.around_restart import AroundRestart, proven_on, surrounded
from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.replies import FactsRead, Failed
from brave_bridge.core.crossing.requests import (
    GuardServices,
    ReadFacts,
    Run,
    Script,
)
from brave_bridge.core.crossing.restart import expected_kernel, restart_at_once
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, left_whole, unguarded, what_was_seen

RESTART = ("systemctl", "reboot")
_UNTOUCHED = "nothing was changed"
_REPAIRS = 3
"""How often it is tried to have every package whole: one may become so only behind another."""

QUIET = {"LC_ALL": "C", "DEBIAN_FRONTEND": "noninteractive"}


def apply_remedy(
    title: str,
    commands: tuple[tuple[str, ...], ...],
    family: CrossingFamily | None = None,
    around: AroundRestart = AroundRestart(),
) -> Script[Outcome]:
    """Carry out a finding's commands; the first that fails ends it.

    Those of the package manager (``family``) keep to the policy and the guards of a stage,
    and are followed until no package is half installed any more.
    """
    if family is None or not any(argv[0] in family.tools for argv in commands):
        return (yield from _all_of(title, commands, None, around))
    reply = yield from GuardServices(title="Keep package scripts from starting services", later=())
    if isinstance(reply, Failed):
        return Outcome(state="stopped", at="guard", why=what_was_seen(reply), safe=_UNTOUCHED)
    outcome = yield from _all_of(title, commands, family, around)
    if outcome.state == "done":
        outcome = yield from _until_nothing_is_open(family)
    told = yield from unguarded()
    return msgspec.structs.replace(outcome, warnings=outcome.warnings + told)


def _all_of(
    title: str,
    commands: tuple[tuple[str, ...], ...],
    family: CrossingFamily | None,
    around: AroundRestart,
) -> Script[Outcome]:
    done = Outcome(state="done")
    for argv in commands:
        if argv == RESTART:
            why, done = yield from _restarted(around)
        else:
            why = yield from _run(title, argv, family)
        if why:
            return Outcome(
                state="failed",
                at=" ".join(argv),
                why=why,
                safe="nothing beyond this command was done",
                next_step="look at its output in the logbook, then survey again",
                warnings=done.warnings,
            )
    return done


def _until_nothing_is_open(family: CrossingFamily) -> Script[Outcome]:
    """Repair until no package is half installed; what stays so is told."""
    why = ""
    for _ in range(_REPAIRS):
        why = yield from left_whole(family)
        if not why:
            return Outcome(state="done")
    return Outcome(
        state="failed",
        at="packages",
        why=why,
        safe="nothing else was changed",
        next_step="look at the output in the logbook; a way back brings all of it back",
    )


def _run(title: str, argv: tuple[str, ...], family: CrossingFamily | None) -> Script[str]:
    words = f"{title}: {' '.join(argv)}"
    plain = Run(title=words, argv=argv, environment=QUIET)
    reply = yield from family.quietly(words, argv) if family else plain
    if ended_well(reply):
        return ""
    output = getattr(reply, "output", "").strip().splitlines()
    return what_was_seen(reply) or "; ".join(output[-3:]) or "it ended with an error"


def _restarted(around: AroundRestart) -> Script[tuple[str, Outcome]]:
    """Restart; why that did not go well, and what it came to with its proof."""
    done = Outcome(state="done")
    title = "Read the baseline before the restart"
    reply = yield from ReadFacts(title=title, whole=True, checks=around.checks)
    if not isinstance(reply, FactsRead) or not reply.facts.boot.id:
        return what_was_seen(reply) or "the system does not run", done
    now = reply.facts
    kernel = expected_kernel(now, now)
    came = yield from surrounded(around, now, restart_at_once(now, kernel, "restart"))
    done = msgspec.structs.replace(done, warnings=came.warnings)
    if why := came.failure or "; ".join(came.faults):
        return why, done
    proved = yield from proven_on(around, now, kernel)
    if not isinstance(proved, tuple):
        return f"what came up is not proven: {what_was_seen(proved)}", done
    return "", msgspec.structs.replace(done, proof=proved[1])
