"""A root tree that is only mounted: commands run in it by chroot, in namespaces of their own."""

from collections.abc import Sequence
from pathlib import Path

from brave_bridge.machines.entering import entered
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.rescue import advice_for, is_system
from brave_bridge.machines.rooted import inside


class TreeMachine(FolderMachine):
    """A system under a folder, as a rescue shell mounts one."""

    kind = "tree"

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        return entered(self.name, self.root, argv)


def _has_ways_back(folder: Path) -> bool:
    """Whether a system was kept here, whatever is left of it."""
    ways_back = Beneath(inside(folder, STATE_FOLDER)) / "snapshots"
    return any((one / "description.toml").is_file() for one in ways_back.folders())


def open_tree(folder: Path) -> TreeMachine:
    """The machine of a root tree; MachineError where the folder is no system.

    A system that has lost all that tells of it is still opened for its ways back.
    """
    folder = folder.absolute()
    if not folder.is_dir():
        raise MachineError("opening the tree", str(folder), "there is no such folder")
    if not is_system(folder) and not _has_ways_back(folder):
        raise MachineError(
            "opening the tree",
            str(folder),
            "it is no system: neither etc/os-release nor usr/lib/os-release is there",
            advice_for(folder),
        )
    return TreeMachine(folder.name or "tree", folder.resolve())
