"""When crossings are proven again: what a person set for their fleet."""

import msgspec

from brave_bridge.core.proof.repeats import AFTER_HOURS
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.refusal import Refused

_MOST_HOURS = 24 * 60


class Schedule(msgspec.Struct, frozen=True):
    """Hours after the end of a crossing; none: never."""

    hours: tuple[float, ...] = AFTER_HOURS


SCHEDULE: KeptRecord[Schedule] = KeptRecord("proof-schedule.json", Schedule, Schedule())


def hours_of(kind: str) -> tuple[float, ...]:
    """The hours for machines of one kind of target."""
    return SCHEDULE.read(state_of_fleet(kind)).hours


def set_schedule(kind: str, hours: tuple[float, ...]) -> None:
    """Set when crossings are proven again; Refused for what is no time."""
    if any(not 0 < hour <= _MOST_HOURS for hour in hours):
        why = f"hours are from more than 0 to {_MOST_HOURS}"
        raise Refused("setting the schedule", why)
    SCHEDULE.change(state_of_fleet(kind), lambda _: Schedule(tuple(sorted(hours))))
