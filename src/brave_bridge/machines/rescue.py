"""Looking around where a folder holds no system: what is below it, and which devices there are."""

import subprocess
from itertools import islice
from pathlib import Path

from brave_bridge.core.formats.lsblk import COLUMNS, read_block_devices
from brave_bridge.core.ways_back.mounting_advice import mounting_advice
from brave_bridge.machines.opening.beneath import DIRECTORY, Beneath

_MOST_FOLDERS = 200
_PATIENCE_SECONDS = 5


def is_system(folder: Path) -> bool:
    """Whether a folder is the root of a system (os-release(5))."""
    return any((folder / name).exists() for name in ("etc/os-release", "usr/lib/os-release"))


def advice_for(folder: Path) -> str:
    """How to come to a system from a folder that has none."""
    return mounting_advice(str(folder), _systems_inside(folder), read_block_devices(_listing()))


def _systems_inside(folder: Path) -> list[str]:
    try:
        entries = islice(Beneath(folder).entries(), _MOST_FOLDERS)
        inside = [name for name, kind in entries if kind == DIRECTORY]
    except OSError:
        return []
    return [name for name in inside if is_system(folder / name)]


def _listing() -> str:
    try:
        done = subprocess.run(
            ["lsblk", "--json", "--list", "--output", COLUMNS],
            capture_output=True,
            text=True,
            check=False,
            timeout=_PATIENCE_SECONDS,
            stdin=subprocess.DEVNULL,
        )
    except (OSError, subprocess.SubprocessError):
        return ""
    return done.stdout[:4_000_000]
