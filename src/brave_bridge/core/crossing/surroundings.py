"""What is changed around a crossing and put back after it, whatever its outcome."""

from collections.abc import Iterable
from typing import TypeVar

import msgspec

from brave_bridge.core.crossing import guests
from brave_bridge.core.crossing.guests import MANAGERS, GuestName
from brave_bridge.core.crossing.replies import Answered, Awaited, Reply
from brave_bridge.core.crossing.requests import Ask, Run, Script
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, what_was_seen
from brave_bridge.core.survey.facts import Facts

_Result = TypeVar("_Result")

SWITCH_OFF, STOP = "switch it off", "stop"


class Setting(msgspec.Struct, frozen=True):
    """Something that holds only for the time of a crossing: how to enter it, how to leave it."""

    enter: tuple[str, ...]
    leave: tuple[str, ...]


class Surroundings(msgspec.Struct, frozen=True):
    """The settings to enter, in order, then the guests to shut down, in order."""

    settings: tuple[Setting, ...] = ()
    guests: tuple[GuestName, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.settings or self.guests)

    def and_those(self, others: "Surroundings") -> "Surroundings":
        """These, and those of the others that are not among them."""
        settings = dict.fromkeys((*self.settings, *others.settings))
        return Surroundings(tuple(settings), tuple(dict.fromkeys((*self.guests, *others.guests))))


def surroundings_at(maintenance: Iterable[Setting], now: Facts) -> Surroundings:
    """The maintenance state, then the guests that are at work, as far as somebody can stop them."""
    guests = now.activity.running_guests
    return Surroundings(
        settings=tuple(maintenance),
        guests=tuple(GuestName(g.name, g.manager) for g in guests if g.manager in MANAGERS),
    )


def within(surroundings: Surroundings, inner: Script[Outcome]) -> Script[Outcome]:
    """Carry out a script within its surroundings; they are left again whatever it comes to."""
    outcome, warnings = yield from around(surroundings, inner)
    return msgspec.structs.replace(outcome, warnings=outcome.warnings + warnings)


def around(
    surroundings: Surroundings, inner: Script[_Result]
) -> Script[tuple[_Result | Outcome, tuple[str, ...]]]:
    """The same for any script: what it came to, or why it was not begun, and the warnings."""
    if not surroundings:
        return (yield from inner), ()
    entered: list[Setting] = []
    stopped: list[GuestName] = []
    refusal = yield from _enter(surroundings, entered, stopped)
    if refusal:
        inner.close()
    result = refusal or (yield from inner)
    return result, (yield from leave(Surroundings(tuple(entered), tuple(stopped))))


def enter(surroundings: Surroundings) -> Script[tuple[str, ...]]:
    """Enter them as far as that is possible, where nothing must wait for it; what was not."""
    warnings: tuple[str, ...] = ()
    for setting in surroundings.settings:
        warnings += yield from _as_warning(Surroundings(settings=(setting,)))
    for guest in surroundings.guests:
        warnings += yield from _as_warning(Surroundings(guests=(guest,)))
    return warnings


def _as_warning(one: Surroundings) -> Script[tuple[str, ...]]:
    refusal = yield from _enter(one, [], [])
    return (refusal.why,) if refusal else ()


def _enter(
    surroundings: Surroundings, entered: list[Setting], stopped: list[GuestName]
) -> Script[Outcome | None]:
    for setting in surroundings.settings:
        # One that fails half-way is left as well.
        entered.append(setting)
        reply = yield from Run(title="Enter the maintenance state", argv=setting.enter)
        if not ended_well(reply):
            return _refused("maintenance", f"{' '.join(setting.enter)}: {_told(reply)}")
    for guest in surroundings.guests:
        stopped.append(guest)
        why = yield from _shut_down(guest)
        if why:
            return _refused("guests", why)
    return None


def _shut_down(guest: GuestName) -> Script[str]:
    """Shut a guest down; why that was not done, or an empty text."""
    reply = yield from guests.ask_to_stop(guest)
    asked = ended_well(reply)
    reply = yield from guests.await_off(guest, guests.PATIENCE_SECONDS if asked else 1)
    if isinstance(reply, Awaited):
        return ""
    answer = yield from Ask(
        title=f"{guest.name} does not shut down",
        key=f"guest-{guest.manager}-{guest.name}",
        detail=f"{guest.name} ({guest.manager}) was asked to and is still at work. "
        "Switched off, it loses what it has not written.",
        choices=(SWITCH_OFF, STOP),
        default=STOP,
    )
    if not (isinstance(answer, Answered) and answer.choice == SWITCH_OFF):
        return f"{guest.name} does not shut down"
    yield from guests.switch_off(guest)
    reply = yield from guests.await_off(guest, 30)
    return "" if isinstance(reply, Awaited) else f"{guest.name} cannot be switched off"


def leave(surroundings: Surroundings) -> Script[tuple[str, ...]]:
    """Start the guests again and leave the settings, the last first; what went wrong."""
    warnings = []
    for guest in reversed(surroundings.guests):
        # One that somebody started meanwhile is left alone.
        if isinstance((yield from guests.await_off(guest, 1)), Awaited):
            started = yield from guests.start(guest)
            if not ended_well(started):
                warnings.append(f"{guest.name} did not start again: {_told(started)}")
                continue
        up = yield from guests.await_up(guest)
        if not isinstance(up, Awaited):
            warnings.append(f"{guest.name} was not seen at work again: {_told(up)}")
    for setting in reversed(surroundings.settings):
        reply = yield from Run(title="Leave the maintenance state", argv=setting.leave)
        if not ended_well(reply):
            warnings.append(f"{' '.join(setting.leave)}: {_told(reply)}")
    return tuple(warnings)


def _told(reply: Reply) -> str:
    output = getattr(reply, "output", "").strip()
    return what_was_seen(reply) or output[-200:] or f"exit code {getattr(reply, 'exit_code', '?')}"


def _refused(at: str, why: str) -> Outcome:
    return Outcome(
        state="stopped",
        at=at,
        why=why,
        safe="nothing of the system was changed, and what was stopped is started again",
        next_step="mend the cause, then cross again",
    )
