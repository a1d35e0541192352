"""What of a machine's state, and of its person's, cannot be read or was set aside for that."""

from collections.abc import Iterator

import msgspec

from brave_bridge.machines.port import Machine
from brave_bridge.runner.repeated_proofs import REPEATS
from brave_bridge.snapshots.choices import CHOICES
from brave_bridge.store.faults import DatabaseError
from brave_bridge.store.reading_notes import read_notes
from brave_bridge.store.rows import LOGBOOK_FILE, NOTES_FILE
from brave_bridge.workbench.decisions import DECISIONS
from brave_bridge.workbench.kept.kept_plan import PLAN
from brave_bridge.workbench.kept.own_checks import KEPT as OWN_CHECKS
from brave_bridge.workbench.kept.policies import POLICIES
from brave_bridge.workbench.kept.proof_schedule import SCHEDULE
from brave_bridge.workbench.lines import own_files
from brave_bridge.workbench.places import state_of_fleet

ASIDE = "*.damaged-*"


class Damage(msgspec.Struct, frozen=True):
    """A file of state that cannot be read, and why; ``aside``: it stands aside already."""

    path: str
    why: str
    aside: bool = False


def damage_of(machine: Machine, kind: str, logbook_fault: str) -> Iterator[Damage]:
    """All that is damaged, for a machine of that kind of target.

    ``logbook_fault`` is why its logbook cannot be read.
    """
    fleet = state_of_fleet(kind)
    faults = (
        (f"{machine.state.where}/{LOGBOOK_FILE}", logbook_fault),
        (f"{machine.state.where}/{DECISIONS.name}", DECISIONS.fault(machine.state)),
        (f"{machine.state.where}/{PLAN.name}", PLAN.fault(machine.state)),
        (f"{machine.state.where}/{CHOICES.name}", CHOICES.fault(machine.state)),
        (f"{machine.state.where}/{REPEATS.name}", REPEATS.fault(machine.state)),
        (f"{fleet.where}/{NOTES_FILE}", notes_fault(kind)),
        (f"{fleet.where}/{POLICIES.name}", POLICIES.fault(fleet)),
        (f"{fleet.where}/{OWN_CHECKS.name}", OWN_CHECKS.fault(fleet)),
        (f"{fleet.where}/{SCHEDULE.name}", SCHEDULE.fault(fleet)),
    )
    yield from (Damage(path, why) for path, why in faults if why)
    for own in own_files():
        for fault in own.faults:
            yield Damage(f"{own.path}:{fault.line}" if fault.line else str(own.path), fault.why)
    for state in (machine.state, fleet):
        for name in state.names(ASIDE):
            why = "it could not be read, and was set aside"
            yield Damage(f"{state.where}/{name}", why, aside=True)


def notes_fault(kind: str) -> str:
    """Why the field notes cannot be read; empty where they can."""
    try:
        tuple(read_notes(state_of_fleet(kind)))
    except DatabaseError as error:
        return error.why
    return ""
