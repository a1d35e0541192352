"""A stand-in: a machine over a real folder tree whose package manager is ours."""

import sys
from collections.abc import Sequence
from pathlib import Path

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import MachineError

COMMAND = "brave_bridge.machines.standin.command"


class StandInMachine(FolderMachine):
    """A simulated machine that ships with Brave Bridge."""

    kind = "stand-in"

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        return [sys.executable, "-m", COMMAND, str(self.root), "--", *argv]


def open_stand_in(root: Path, name: str) -> StandInMachine:
    """The stand-in under a folder; MachineError where there is none."""
    if not root.is_dir():
        raise MachineError(
            "opening the stand-in",
            name,
            f"there is no folder {root}",
            "brave-bridge demo --fresh makes the demo fleet anew",
        )
    return StandInMachine(name, root)
