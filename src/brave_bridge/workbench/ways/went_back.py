"""The field note that a machine went back, for every other one that faces the leg."""

from brave_bridge.store.opening import notes_to_write
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.places import state_of_fleet


def write_went_back(desk: Desk, leg: str, reason: str) -> None:
    """Keep why a machine went back from a leg (by its key) as a field note."""
    notes = notes_to_write(state_of_fleet(desk.target.kind))
    try:
        notes.write(leg, desk.machine.name, "caution", f"went back: {reason.strip()}")
    finally:
        notes.close()
