"""The machines of a fleet before they are read. Light to import: the screen opens on it."""

from pathlib import Path

import msgspec

from brave_bridge.core.formats.decoding import decode_toml
from brave_bridge.core.formats.text import plain
from brave_bridge.machines.port import MachineError
from brave_bridge.workbench.places import config_folder
from brave_bridge.workbench.targets import Target

_LARGEST = 1_000_000


class FleetMember(msgspec.Struct, frozen=True):
    """A machine of the fleet before it is read."""

    name: str
    about: str
    target: Target


class _ListedMachine(msgspec.Struct):
    name: str
    tree: str
    about: str = ""


class _ListedFleet(msgspec.Struct):
    machine: tuple[_ListedMachine, ...] = ()


def fleet_members(words: tuple[str, ...], *, demo: bool) -> tuple[str, tuple[FleetMember, ...]]:
    """The fleet's name and its machines: the demo's, a tree, or this machine and the configured.

    MachineError where the file that lists the fleet cannot be understood.
    """
    if demo or (words and words[0] == "--demo"):
        from brave_bridge.workbench.demo import demo_fleet

        fleet = demo_fleet()
        return fleet.station, tuple(
            FleetMember(m.name, m.about, Target("demo", m.name)) for m in fleet.machine
        )
    if words:
        name = Path(words[1]).name or words[1]
        return "A mounted tree", (
            FleetMember(name, f"tree at {words[1]}", Target("tree", words[1])),
        )
    here = FleetMember("this machine", "the machine you are on", Target("local"))
    return "Your fleet", (here, *_configured())


def _configured() -> tuple[FleetMember, ...]:
    """The trees that the person listed in fleet.toml in the config folder."""
    path = config_folder() / "fleet.toml"
    try:
        content = path.read_if_there(_LARGEST)
        if content is None:
            return ()
        listed = decode_toml(content, _ListedFleet)
    except (OSError, msgspec.DecodeError) as error:
        raise MachineError(
            f"reading {path}",
            "this machine",
            plain(str(error)),
            'it lists machines as [[machine]] with name = "…" and tree = "…"',
        ) from error
    return tuple(
        FleetMember(row.name, row.about, Target("tree", row.tree)) for row in listed.machine
    )
