"""What people decided about a machine, kept in its state folder in one small file."""

import msgspec

from brave_bridge.core.crossing.guests import MANAGERS, GuestName
from brave_bridge.core.crossing.surroundings import Setting, Surroundings
from brave_bridge.core.estimate import Speeds, Window
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import STATE_FOLDER, Machine, MachineError
from brave_bridge.snapshots.catalogue import make_state_folder

KEEPING_FILE = f"{STATE_FOLDER}/decisions.json"
_LIMIT = 1_000_000


class Overrule(msgspec.Struct, frozen=True):
    """A stop that a person lets stand, and why. Times are ISO 8601 in UTC."""

    rule: str
    leg: str
    reason: str
    when: str
    title: str = ""


class Decisions(msgspec.Struct, frozen=True):
    """All that was decided. ``failed_sources`` are those of the newest refresh."""

    overrules: tuple[Overrule, ...] = ()
    backup_confirmed: str = ""
    window: Window | None = None
    failed_sources: tuple[str, ...] = ()
    refreshed_at: str = ""
    speeds: Speeds = Speeds()
    """What was measured while the newest plan was made."""
    maintenance: tuple[tuple[str, ...], ...] = ()
    """Commands that enter a maintenance state, and for each, at the same place, the way out."""
    maintenance_left: tuple[tuple[str, ...], ...] = ()

    tasks_done: tuple[str, ...] = ()
    """The tasks of legs that somebody has done, each ``leg key/task``."""
    long_term_only: bool = False
    """The track: whether the machine is to rest on long-term releases alone."""
    safest_way: bool = False
    """Whether the way with the least risk is taken, where it is not the shortest."""

    def overruled(self, leg: str) -> dict[str, str]:
        """The reasons that hold for a leg (empty: for no certain one), by rule."""
        return {o.rule: o.reason for o in self.overrules if o.leg in ("", leg)}


def read_decisions(machine: Machine) -> Decisions:
    """What was decided; nothing where no decision was ever kept or the file is damaged."""
    try:
        content = machine.read_if_there(KEEPING_FILE, _LIMIT)
        return msgspec.json.decode(content, type=Decisions) if content else Decisions()
    except (MachineError, msgspec.DecodeError):
        return Decisions()


def keep_decisions(machine: Machine, decisions: Decisions) -> None:
    """Write them in place of those before."""
    make_state_folder(machine)
    machine.write(KEEPING_FILE, msgspec.json.encode(decisions), 0o600)


def toggle_task(machine: Machine, task: str) -> None:
    """Note that a task of a leg (``leg key/task``) is done, or is not."""
    known = read_decisions(machine)
    done = frozenset(known.tasks_done) ^ {task}
    keep_decisions(machine, msgspec.structs.replace(known, tasks_done=tuple(sorted(done))))


def keep_track(machine: Machine, long_term_only: bool) -> None:
    """Keep which releases the machine is to be offered."""
    known = read_decisions(machine)
    keep_decisions(machine, msgspec.structs.replace(known, long_term_only=long_term_only))


def keep_way(machine: Machine, *, safest: bool) -> None:
    """Keep whether the machine is to take the safest way instead of the shortest."""
    known = read_decisions(machine)
    if known.safest_way != safest:
        keep_decisions(machine, msgspec.structs.replace(known, safest_way=safest))


def surroundings_for(decisions: Decisions, facts: Facts) -> Surroundings:
    """What a crossing enters and leaves: the maintenance state, then the running guests."""
    pairs = zip(decisions.maintenance, decisions.maintenance_left, strict=False)
    guests = facts.activity.running_guests
    return Surroundings(
        settings=tuple(Setting(enter, leave) for enter, leave in pairs),
        guests=tuple(GuestName(g.name, g.manager) for g in guests if g.manager in MANAGERS),
    )
