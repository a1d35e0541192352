"""A restart as a part of what is under way: asked for, waited for, and what came up looked at.

A machine that runs is restarted, or its administrator restarts it at a time of their own; one
that is only mounted is waited for until it was started. The runner may end in between: the boot
that follows is recognised by its mark, and what came up is held against what was expected.
"""

from collections.abc import Iterator, Sequence

import msgspec

from brave_bridge.core.crossing.replies import (
    Answered,
    Done,
    DriversAtStart,
    FactsRead,
    Failed,
    Reply,
    Restarted,
    TrialArranged,
)
from brave_bridge.core.crossing.requests import (
    ArrangeGoingOn,
    ArrangeTrial,
    Ask,
    AwaitRestart,
    EndTrial,
    LookIntoInitrd,
    ReadFacts,
    Restart,
    Script,
)
from brave_bridge.core.crossing.stage import what_was_seen
from brave_bridge.core.survey.boot_fitness import unfit_to_boot
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.restart_need import newest_kernel

NOW, BY_HAND = "restart it now", "I restart it myself"
AGAIN, LEAVE = "restart it again", "leave it as it came up"
FORCE = "force it"
STARTED, WITHOUT = "I start it and go on then", "go on without"

TRIES = 2
"""How often a machine that came up wrong is restarted without being asked."""

FELL_BACK = "every boot takes what ran before, until this is tried again or gone back from"
"""What is true of a trial that did not go well."""

_EMERGENCY = ("emergency.service", "rescue.service")


class CameUp(msgspec.Struct, frozen=True):
    """What a restart came to. ``failure`` says why there was none, ``faults`` what is wrong.

    ``declined``: the person goes on without one; ``not_begun``: the machine runs as it did.
    ``on_trial``: the loader takes what ran before at every further boot, until the trial is ended.
    """

    facts: Facts | None = None
    faults: tuple[str, ...] = ()
    failure: str = ""
    declined: bool = False
    not_begun: bool = False
    on_trial: bool = False
    warnings: tuple[str, ...] = ()
    """What a person has to know of what surrounded it."""

    @property
    def is_well(self) -> bool:
        """Whether what came up is what was expected."""
        return not (self.failure or self.faults or self.declined)


class Trial(msgspec.Struct, frozen=True):
    """Whether something is tried once, and what a person has to know of it before the restart."""

    armed: bool = False
    words: tuple[str, ...] = ()


def expected_kernel(before: Facts, now: Facts) -> str:
    """The kernel that should run after a restart; empty where an older one was chosen here.

    ``before`` are the facts of before the change: a machine that did not run its newest kernel
    then has somebody's choice in its boot loader, which is not guessed at.
    """
    newest, newest_before = newest_kernel(now), newest_kernel(before)
    if newest is None:
        return ""
    if newest_before is not None and before.runs and before.boot.kernel != newest_before.version:
        return newest.version if newest.version == now.boot.kernel else ""
    return newest.version


def why_no_restart(now: Facts, kernel: str) -> Script[str]:
    """Why a restart must not be asked for; empty where what boots next is there whole."""
    lacks = unfit_to_boot(now, kernel) or (yield from _missing_at_start(now, kernel))
    return f"no restart, what boots next is not whole: {'; '.join(lacks)}" if lacks else ""


def _missing_at_start(now: Facts, kernel: str) -> Script[tuple[str, ...]]:
    """Which drivers the kernel would not find on the way to its root, in a sentence."""
    initrds = {one.version: one.initrd or "" for one in now.kernels}
    if not initrds.get(kernel):
        return ()
    reply = yield from LookIntoInitrd(
        title=f"Look whether {kernel} finds its root",
        kernel=kernel,
        initrd=initrds[kernel],
        before=initrds.get(now.kernel_that_came_up, ""),
        root_type=now.root_type,
    )
    if not isinstance(reply, DriversAtStart) or not reply.lacking:
        return ()
    return (f"{initrds[kernel]} has no {', '.join(reply.lacking)}: no way to the root",)


def restart(now: Facts, why: Sequence[str], kernel: str, key: str) -> Script[CameUp]:
    """Have the machine restarted and look what came up; once more where that is wrong.

    ``why`` are the reasons, ``kernel`` what is expected to run then (empty: not known), ``key``
    tells this restart's questions from those of others. Another kernel than the one that runs
    is on trial, where the loader can do that: whoever went on has it ended.
    """
    trial = yield from on_trial(now, kernel, key)
    arranged = yield from arrange()
    detail = "\n".join((*why, *trial.words, *arranged))
    came = yield from _asked_for(now, detail, kernel, key)
    came = yield from looked_on(came, trial)
    return (yield from _until_well(came, kernel, key))


def restart_on_trial(now: Facts, trial: Trial, kernel: str, key: str) -> Script[CameUp]:
    """Restart into what is on trial, and look what came up; it is tried once only."""
    if why := (yield from why_no_restart(now, kernel)):
        return CameUp(failure=why, not_begun=True)
    arranged = yield from arrange()
    came = yield from _asked_for(now, "\n".join((*trial.words, *arranged)), kernel, key)
    return (yield from looked_on(came, trial))


def restart_at_once(now: Facts, kernel: str, key: str) -> Script[CameUp]:
    """Restart a machine whose person has agreed to it already; see ``restart``."""
    if why := (yield from why_no_restart(now, kernel)):
        return CameUp(failure=why, not_begun=True)
    trial = yield from on_trial(now, kernel, key)
    yield from arrange()
    came = yield from _restarted(now, kernel, key)
    came = yield from looked_on(came, trial)
    return (yield from _until_well(came, kernel, key))


def arrange() -> Script[tuple[str, ...]]:
    """Have the procedure go on after the boot; what a person has to know of that."""
    reply = yield from ArrangeGoingOn(title="Arrange that it goes on after the restart")
    if isinstance(reply, Done):
        return (reply.detail,) if reply.detail else ()
    return (f"go on by hand after the restart (brave-bridge go-on): {what_was_seen(reply)}",)


def on_trial(now: Facts, kernel: str, key: str) -> Script[Trial]:
    """Have another kernel than the one that runs tried once."""
    running = now.kernel_that_came_up
    if not kernel or not running or kernel == running or not now.loader.entries:
        return Trial()
    reply = yield from ArrangeTrial(
        title=f"Have {kernel} tried once, and {running} behind it", kernel=kernel, name=key
    )
    if isinstance(reply, TrialArranged):
        return Trial(True, reply.words)
    why = reply.seen if isinstance(reply, Failed) else "no reply"
    words = (
        f"It is no trial: {why}. Where {kernel} does not come up, somebody has to choose {running} "
        "in the boot menu.",
    )
    return Trial(words=words)


def looked_on(came: CameUp, trial: Trial) -> Script[CameUp]:
    """Somebody looks on now: what is on trial is not restarted by itself any more."""
    if not trial.armed or came.facts is None:
        return came
    yield from EndTrial(title="Keep it from restarting by itself", watch_only=True)
    faults = (*came.faults, FELL_BACK) if came.faults else ()
    return msgspec.structs.replace(came, on_trial=True, faults=faults)


def _until_well(came: CameUp, kernel: str, key: str) -> Script[CameUp]:
    """Restart again where what came up is wrong and somebody wants that."""
    for number in range(1, TRIES + 1):
        if came.facts is None or not came.faults:
            break
        answer = yield from Ask(
            title="It came up other than expected",
            key=f"{key}-again-{number}",
            detail="\n".join(came.faults),
            choices=(AGAIN, LEAVE),
            default=AGAIN if number < TRIES else LEAVE,
        )
        if not (isinstance(answer, Answered) and answer.choice == AGAIN):
            break
        if why := (yield from why_no_restart(came.facts, kernel)):
            return msgspec.structs.replace(came, faults=(*came.faults, why))
        trial = yield from on_trial(came.facts, kernel, f"{key}-{number}")
        yield from arrange()
        came = yield from _restarted(came.facts, kernel, f"{key}-{number}")
        came = yield from looked_on(came, trial)
    return came


def _asked_for(now: Facts, detail: str, kernel: str, key: str) -> Script[CameUp]:
    if not now.runs:
        return (yield from _started(now, detail, kernel, key))
    answer = yield from Ask(
        title="Restart the machine now?",
        key=key,
        detail=detail,
        choices=(NOW, BY_HAND),
        default=NOW,
    )
    if isinstance(answer, Answered) and answer.choice == NOW:
        return (yield from _restarted(now, kernel, key))
    reply = yield from AwaitRestart(
        title="Rest until the machine was restarted", boot_id=now.boot_mark
    )
    return (yield from _looked(now, reply, kernel))


def _started(now: Facts, detail: str, kernel: str, key: str) -> Script[CameUp]:
    """For a system that is only mounted: whoever starts it has it prove that."""
    answer = yield from Ask(
        title="The leg ends when the system was started: go on then?",
        key=key,
        detail=detail,
        choices=(STARTED, WITHOUT),
        default=STARTED,
    )
    if isinstance(answer, Answered) and answer.choice == WITHOUT:
        return CameUp(declined=True)
    reply = yield from AwaitRestart(
        title="Rest until the system was started", boot_id=now.boot_mark
    )
    return (yield from _looked(now, reply, kernel))


def _restarted(now: Facts, kernel: str, key: str) -> Script[CameUp]:
    """An ordinary restart; where that does not happen, a forced one is asked for apart."""
    reply = yield from Restart(
        title="Restart, and wait until the machine is up", boot_id=now.boot_mark
    )
    if isinstance(reply, Failed):
        answer = yield from Ask(
            title="The restart did not happen",
            key=f"{key}-force",
            detail=f"{what_was_seen(reply)}\nForced, services get no time to end: what they have "
            "not written is lost.",
            choices=(FORCE, BY_HAND),
            default=BY_HAND,
        )
        if isinstance(answer, Answered) and answer.choice == FORCE:
            reply = yield from Restart(
                title="Force the restart, and wait until the machine is up",
                boot_id=now.boot_mark,
                force=True,
            )
        else:
            reply = yield from AwaitRestart(
                title="Rest until the machine was restarted", boot_id=now.boot_mark
            )
    return (yield from _looked(now, reply, kernel))


def _looked(before: Facts, reply: Reply, kernel: str) -> Script[CameUp]:
    if not isinstance(reply, Restarted):
        return CameUp(failure=what_was_seen(reply) or "it is not known whether it restarted")
    reply = yield from ReadFacts(title="Look what came up")
    if not isinstance(reply, FactsRead):
        return CameUp(failure=f"what came up cannot be read: {what_was_seen(reply)}")
    return CameUp(reply.facts, tuple(what_is_wrong(before, reply.facts, kernel)))


def what_is_wrong(before: Facts, after: Facts, kernel: str) -> Iterator[str]:
    """What of a boot is other than expected, so that it is no sound base to go on from."""
    if after.boot_mark and after.boot_mark == before.boot_mark:
        yield "it still runs as before: this is the same boot"
    came_up = after.kernel_that_came_up
    if kernel and came_up and came_up != kernel:
        yield f"kernel {came_up} came up, {kernel} was expected"
    if after.last_boot.rescue:
        yield f"it came up in an emergency state ({after.last_boot.where})"
    states = {unit.name: unit.active for unit in after.activity.units}
    for name in _EMERGENCY:
        if states.get(name) in ("active", "activating"):
            yield f"it came up in an emergency state ({name} is active)"
    if "systemctl" in after.activity.unread:
        yield "the service manager does not answer"


def failing_since(before: Facts, after: Facts) -> tuple[str, ...]:
    """The services that fail now and did not before, each in a sentence."""
    failing = {*(unit.name for unit in after.activity.failed), *after.last_boot.failed}
    failing -= {unit.name for unit in before.activity.failed}
    return tuple(f"{name} fails since the restart" for name in sorted(failing))
