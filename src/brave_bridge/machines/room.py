"""Room on a machine."""

from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Rooms


def free_bytes(machine: Machine) -> int:
    """What is free on the file system of a machine's root; 0 where nobody can tell."""
    room = machine.files.gather((Rooms(("/",)),)).rooms.get("/")
    return room.free_bytes if room else 0
