"""The leg that is under way on a machine, kept in its state folder apart from the logbook."""

import msgspec

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.machines.port import STATE_FOLDER, Machine, MachineError

OPEN_LEG_FILE = f"{STATE_FOLDER}/open-leg.json"
_LIMIT = 200_000_000


def keep_open_leg(machine: Machine, leg: OpenLeg) -> None:
    """Write it in place of what was written before."""
    machine.files.write(OPEN_LEG_FILE, msgspec.json.encode(leg), 0o600)


def read_open_leg(machine: Machine) -> OpenLeg | None:
    """The leg under way; None where there is none. MachineError where that cannot be read."""
    content = machine.files.read_if_there(OPEN_LEG_FILE, _LIMIT)
    if content is None:
        return None
    try:
        return msgspec.json.decode(content, type=OpenLeg)
    except msgspec.DecodeError as error:
        raise MachineError(
            f"reading {OPEN_LEG_FILE}", machine.name, str(error),
            "a leg was under way: go back to the way back before it",
        ) from error  # fmt: skip
