"""Where a person's own files are (XDG base directories)."""

import os
import pwd
from pathlib import Path

from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.port import State


def config_folder() -> Path:
    """Where a person's settings are."""
    return _base("XDG_CONFIG_HOME", ".config") / "brave-bridge"


def state_folder() -> Path:
    """Where what concerns no single machine is kept: field notes, what surveys found last."""
    return _base("XDG_STATE_HOME", ".local/state") / "brave-bridge"


def _base(variable: str, below_home: str) -> Path:
    """The folder that a variable names, or one below home, where it is this user's own.

    What sudo leaves in the environment of root names folders of somebody else.
    """
    named, home = os.environ.get(variable, ""), os.environ.get("HOME", "")
    if named.startswith("/") and _is_own(Path(named)):
        return Path(named)
    if home.startswith("/") and _is_own(Path(home)):
        return Path(home) / below_home
    return Path(pwd.getpwuid(os.geteuid()).pw_dir) / below_home


def _is_own(folder: Path) -> bool:
    """Whether root's folder, or where it is missing the one that it would be made in, is root's."""
    if os.geteuid() != 0:
        return True
    there = next(place for place in (folder, *folder.parents) if place.is_dir())
    return there.stat().st_uid == 0


def state_of_fleet(kind: str) -> State:
    """The same for machines of one kind of target: the demo's stay apart from real ones."""
    folder = state_folder() / "demo" if kind == "demo" else state_folder()
    return FolderState("this fleet", folder)
