"""The settings archives of a machine: when the newest was made."""

from brave_bridge.machines.port import Machine
from brave_bridge.snapshots.archive_names import FOLDER


def newest_archive_day(machine: Machine) -> str:
    """The ISO day of the newest archive in the state folder; empty where there is none."""
    names = [name.rpartition("/")[2] for name in machine.state.names(f"{FOLDER}/*.tar.zst")]
    stamps = [name[:8] for name in names if name[:8].isdigit()]
    return f"{stamps[-1][:4]}-{stamps[-1][4:6]}-{stamps[-1][6:8]}" if stamps else ""
