"""The files of a stand-in, as a command that runs on it has them."""

from pathlib import Path

from brave_bridge.machines.folder import FolderMachine


class _Files(FolderMachine):
    """The files of the stand-in that a command works on."""

    kind = "stand-in"


def files_of(root: Path) -> FolderMachine:
    """The files below a stand-in's root."""
    return _Files(root.name, root)
