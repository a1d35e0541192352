"""What people decided about a machine, kept in its state folder in one small file."""

from collections.abc import Callable

import msgspec

from brave_bridge.core.crossing.surroundings import Setting, Surroundings, surroundings_at
from brave_bridge.core.estimate import Speeds, Window
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import Machine


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

    def measured_now(self, speeds: Speeds) -> "Decisions":
        """With new speeds; what was not measured now is as it was."""
        link, disk = speeds.link or self.speeds.link, speeds.disk or self.speeds.disk
        each = speeds.package_seconds or self.speeds.package_seconds
        return msgspec.structs.replace(self, speeds=Speeds(link, disk, each))

    def overruled(self, leg: str) -> dict[str, str]:
        """The reasons that hold for a leg (empty: for no certain one), by rule."""
        return {o.rule: o.reason for o in self.overrules if o.leg in ("", leg)}


DECISIONS: KeptRecord[Decisions] = KeptRecord("decisions.json", Decisions, Decisions())


def read_decisions(machine: Machine) -> Decisions:
    """What was decided; nothing where no decision was ever kept or the file is damaged."""
    return DECISIONS.read(machine.state)


def change_decisions(machine: Machine, change: Callable[[Decisions], Decisions]) -> Decisions:
    """Change what was decided, as it is now."""
    return DECISIONS.change(machine.state, change)


def decide(machine: Machine, **changes: object) -> None:
    """Change fields of what was decided, whatever they were."""
    change_decisions(machine, lambda known: msgspec.structs.replace(known, **changes))


def toggle_task(machine: Machine, task: str) -> None:
    """Note that a task of a leg (``leg key/task``) is done, or is not."""

    def toggled(known: Decisions) -> Decisions:
        done = frozenset(known.tasks_done) ^ {task}
        return msgspec.structs.replace(known, tasks_done=tuple(sorted(done)))

    change_decisions(machine, toggled)


def keep_track(machine: Machine, long_term_only: bool) -> None:
    """Keep which releases the machine is to be offered."""
    decide(machine, long_term_only=long_term_only)


def keep_way(machine: Machine, *, safest: bool) -> None:
    """Keep whether the machine is to take the safest way instead of the shortest."""
    if read_decisions(machine).safest_way != safest:
        decide(machine, safest_way=safest)


def surroundings_for(decisions: Decisions, facts: Facts) -> Surroundings:
    """What a crossing enters and leaves: the maintenance state, then the running guests."""
    return surroundings_at(maintenance_in(decisions), facts)


def maintenance_in(decisions: Decisions) -> tuple[Setting, ...]:
    """What enters the maintenance state that was set, and leaves it."""
    pairs = zip(decisions.maintenance, decisions.maintenance_left, strict=False)
    return tuple(Setting(enter, leave) for enter, leave in pairs)
