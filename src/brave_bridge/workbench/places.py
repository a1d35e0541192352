"""Where a person's own files are (XDG base directories)."""

import os
from pathlib import Path


def config_folder() -> Path:
    """Where a person's settings are."""
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "brave-bridge"


def state_folder() -> Path:
    """Where what concerns no single machine is kept: field notes, what surveys found last."""
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local/state")
    return Path(base) / "brave-bridge"


def state_of_fleet(kind: str) -> Path:
    """The same for machines of one kind of target: the demo's stay apart from real ones."""
    return state_folder() / "demo" if kind == "demo" else state_folder()
