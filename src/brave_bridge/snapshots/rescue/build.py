"""Putting the rescue tool together: one file out of the modules that a return consists of.

``python -m brave_bridge.snapshots.rescue.build FILE`` writes it.
"""

import hashlib
import sys
from functools import cache
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import named
from brave_bridge.machines.plain.build import one_file, origins

NAME = "brave-bridge-rescue"
MODULES = (
    "core.formats.decoding",
    "core.formats.proc",
    "core.formats.text",
    "machines.opening.kernel",
    "machines.opening.removal",
    "machines.opening.beneath",
    "machines.opening.named",
    "machines.opening.trust",
    "machines.rooted",
    "snapshots.trees.hashing",
    "snapshots.trees.manifest",
    "snapshots.trees.cover",
    "snapshots.trees.leading",
    "snapshots.trees.system_calls",
    "snapshots.trees.contents",
    "snapshots.trees.projects",
    "snapshots.trees.describing",
    "snapshots.trees.dressing",
    "snapshots.trees.folders",
    "snapshots.trees.removal",
    "snapshots.trees.mounts",
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
_LARGEST = 4 << 20
_ABOUT = f"{NAME}: list, verify and return ways back; see {NAME} --help."
_LAST = """from brave_bridge.snapshots.rescue import stand_ins

stand_ins.install()
from brave_bridge.snapshots.rescue import tool

if __name__ == "__main__":
    sys.exit(tool.main())
"""


@cache
def rescue_tool() -> str:
    """The text of the tool. Its last line says what it is made of, and of the rest what it is."""
    text = one_file(_ABOUT, (*MODULES, _STAND_INS), _LAST)
    return text + _last_line(text.encode())


def _last_line(text: bytes) -> str:
    return f"# made of {_made_of()}, is {hashlib.sha256(text).hexdigest()}\n"


@cache
def _made_of() -> str:
    """The hash of the modules; what this process runs does not change."""
    digest = hashlib.sha256()
    for origin in origins((*MODULES, _STAND_INS)):
        digest.update(Path(origin).read_bytes())
    return digest.hexdigest()


def keep_rescue_tool(folder: Beneath) -> Beneath:
    """The tool in a folder, written anew where it is of other modules than these, or damaged.

    OSError where it cannot be written.
    """
    place = folder / NAME
    if not _is_current(place):
        write_rescue_tool(place)
    return place


def _is_current(place: Beneath) -> bool:
    try:
        *lines, last = place.read(_LARGEST).splitlines(keepends=True)
    except (OSError, ValueError):
        return False
    return last.decode(errors="replace") == _last_line(b"".join(lines))


def write_rescue_tool(place: Beneath) -> None:
    """Write the tool in one step, to be run by its owner. OSError."""
    place.write(rescue_tool().encode(), 0o755)


if __name__ == "__main__":
    write_rescue_tool(named(sys.argv[1]))
