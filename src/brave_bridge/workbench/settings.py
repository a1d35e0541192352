"""The settings archive of a machine: what goes into it beside files, and when one was made."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine
from brave_bridge.snapshots.settings_archive import FOLDER


def newest_archive_day(machine: Machine) -> str:
    """The ISO day of the newest archive in the state folder; empty where there is none."""
    names = [name.rpartition("/")[2] for name in machine.state.names(f"{FOLDER}/*.tar.zst")]
    stamps = [name[:8] for name in names if name[:8].isdigit()]
    return f"{stamps[-1][:4]}-{stamps[-1][4:6]}-{stamps[-1][6:8]}" if stamps else ""


def archive_texts(facts: Facts) -> dict[str, str]:
    """What is not a file of the system: the selections, and where the machine stood."""
    lines = [f"{p.name}:{p.architecture}\t{p.version}\t{p.want}\n" for p in facts.installed]
    who = facts.identity
    told = {
        "machine": facts.machine,
        "taken at": facts.taken_at,
        "system": who.name,
        "kernel": facts.boot.kernel,
        "command line": facts.boot.command_line,
        "firmware": facts.boot.firmware,
    }
    mounts = [f"{m.device} {m.path} {m.type} {m.options}\n" for m in facts.mounts]
    return {
        "brave-bridge/packages.txt": "".join(lines),
        "brave-bridge/machine.txt": "".join(f"{name}: {v}\n" for name, v in told.items()),
        "brave-bridge/mounts.txt": "".join(mounts),
    }
