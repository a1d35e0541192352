"""What goes on on a running machine: services, people, guests, the clock."""

import msgspec

from brave_bridge.core.formats.guests import Guest
from brave_bridge.core.formats.proc import Port
from brave_bridge.core.formats.systemd import Unit
from brave_bridge.core.survey.own_parts import is_own_unit

WHETHER_IT_STARTS = "starting not known"
"""Said of a unit where nobody told what starts by itself."""


class Session(msgspec.Struct, frozen=True):
    """Somebody who is logged in. ``type`` is ``tty``, ``x11``, ``wayland`` or ``web``.

    ``host`` is where they come from over a link.
    """

    user: str
    type: str = ""
    terminal: str = ""
    host: str = ""


class StaleProgram(msgspec.Struct, frozen=True):
    """A program that still uses a file which was replaced or deleted under it."""

    process: int
    program: str
    file: str


class Clock(msgspec.Struct, frozen=True):
    """The clock: ``synchronised`` is None where nobody says."""

    synchronised: bool | None = None
    zone: str = ""


class Activity(msgspec.Struct, frozen=True):
    """What goes on at the moment of the survey; empty for a system that does not run."""

    units: tuple[Unit, ...] = ()
    enabled: tuple[str, ...] = ()
    ports: tuple[Port, ...] = ()
    sessions: tuple[Session, ...] = ()
    guests: tuple[Guest, ...] = ()
    stale: tuple[StaleProgram, ...] = ()
    clock: Clock = Clock()
    unread: tuple[str, ...] = ()
    """The programs that were asked and did not answer, or not in time: what they know is not
    known."""
    is_starting: bool = False
    """Whether the service manager still starts what belongs to the boot."""
    restart_wanted: bool = False
    restart_wanted_by: tuple[str, ...] = ()

    @property
    def failed(self) -> tuple[Unit, ...]:
        """The units that have failed, but for ours."""
        return tuple(u for u in self.units if u.has_failed and not is_own_unit(u.name))

    @property
    def timers(self) -> tuple[Unit, ...]:
        """The units that start something at set times."""
        return tuple(unit for unit in self.units if unit.name.endswith(".timer"))

    @property
    def running_guests(self) -> tuple[Guest, ...]:
        """The guests that are at work."""
        return tuple(guest for guest in self.guests if guest.is_running)
