"""Putting the rescue tool together: one file out of the modules that a return consists of.

``python -m brave_bridge.snapshots.rescue.build FILE`` writes it.
"""

import os
import sys
from pathlib import Path

from brave_bridge.machines.plain.build import one_file, origins
from brave_bridge.machines.writing import replace_file

NAME = "brave-bridge-rescue"
MODULES = (
    "core.formats.decoding",
    "core.formats.proc",
    "core.formats.text",
    "machines.rooted",
    "snapshots.trees.hashing",
    "snapshots.trees.manifest",
    "snapshots.trees.cover",
    "snapshots.trees.system_calls",
    "snapshots.trees.contents",
    "snapshots.trees.describing",
    "snapshots.trees.dressing",
    "snapshots.trees.folders",
    "snapshots.trees.removal",
    "snapshots.trees.mounts",
    "machines.writing",
    "snapshots.returns.journal",
    "snapshots.jobs.compare",
    "snapshots.jobs.comparison",
    "snapshots.jobs.stage",
    "snapshots.returns.moving",
    "snapshots.returns.swap_order",
    "snapshots.jobs.empty",
    "snapshots.jobs.large_removal",
    "snapshots.trees.flushing",
    "snapshots.jobs.check",
    "snapshots.returns.staging",
    "snapshots.returns.taking_away",
    "snapshots.returns.restoration",
    "snapshots.rescue.tool",
)

_STAND_INS = "snapshots.rescue.stand_ins"
_ABOUT = f"{NAME}: list, verify and return ways back; see {NAME} --help."
_LAST = """from brave_bridge.snapshots.rescue import stand_ins

stand_ins.install()
from brave_bridge.snapshots.rescue import tool

if __name__ == "__main__":
    sys.exit(tool.main())
"""


def rescue_tool() -> str:
    """The text of the tool."""
    return one_file(_ABOUT, (*MODULES, _STAND_INS), _LAST)


def keep_rescue_tool(folder: Path) -> Path:
    """The tool in a folder, written anew where that is older than what it is put together from.

    OSError where it cannot be written.
    """
    path = folder / NAME
    if not _is_current(path):
        write_rescue_tool(path)
    return path


def _is_current(path: Path) -> bool:
    newest = max(os.stat(origin).st_mtime for origin in origins((*MODULES, _STAND_INS)))
    return path.is_file() and path.stat().st_mtime >= newest


def write_rescue_tool(path: Path) -> None:
    """Write the tool in one step, to be run by its owner. OSError."""
    replace_file(path, rescue_tool().encode(), 0o755)


if __name__ == "__main__":
    write_rescue_tool(Path(sys.argv[1]))
