"""Where a person's own files are (XDG base directories), and nobody else's."""

import os
import pwd
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.trust import is_of_another, others_may_write

_OURS = "brave-bridge"


def config_folder() -> Beneath:
    """Where a person's settings are."""
    return _below("XDG_CONFIG_HOME", ".config")


def state_folder() -> Beneath:
    """Where what concerns no single machine is kept: field notes, what surveys found last."""
    return _below("XDG_STATE_HOME", ".local/state")


def cache_folder() -> Beneath:
    """Where what can be made again is kept: indices of archives."""
    return _below("XDG_CACHE_HOME", ".cache")


def _below(variable: str, below_home: str) -> Beneath:
    return Beneath(_base(variable, below_home), _OURS, ours=True)


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
    """Whether root's folder, or where it is missing the one that it would be made in, is root's.

    A folder that everybody may write to is nobody's own, even if each may remove only their own
    files there: what is made in it later may be somebody else's by then.
    """
    if os.geteuid() != 0:
        return True
    there = next(place for place in (folder, *folder.parents) if place.is_dir())
    status = there.stat()
    return not is_of_another(status) and not others_may_write(there, status)
