"""Where a person's own files are, and what is kept of their fleet."""

from pathlib import Path

from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.opening import own_folders
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import State


def config_folder() -> Beneath:
    """Where a person's settings are."""
    return own_folders.config_folder()


def state_folder() -> Path:
    """Where what concerns no single machine is kept: field notes, what surveys found last."""
    return own_folders.state_folder().path


def state_of_fleet(kind: str) -> State:
    """The same for machines of one kind of target: the demo's stay apart from real ones."""
    folder = state_folder() / "demo" if kind == "demo" else state_folder()
    return FolderState("this fleet", folder)
