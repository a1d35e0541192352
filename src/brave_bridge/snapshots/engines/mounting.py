"""Mounting something for as long as it is looked into, where nobody else can put anything.

The places are below a folder that only root can enter, each with a name that nobody can know.
"""

import contextlib
import os
import secrets
from collections.abc import Iterator
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.trust import why_not_trusted
from brave_bridge.snapshots.engines.engine import EngineError, tool

_ABOVE = ("/run", "/var/lib")
"""Where our own folder is made: the first of these that is there."""

_OWN, _PLACE = "brave-bridge", "mount-"


@contextlib.contextmanager
def mounted_for_now(*words: str) -> Iterator[Path]:
    """Mount something (``mount`` and these words) on a folder of its own, and take it down again.

    What a process that was killed left mounted is taken down by the next one that comes here.
    """
    take_down_left_mounts()
    place = _own_folder() / f"{_PLACE}{os.getpid()}-{secrets.token_hex(8)}"
    place.make_new_folder()
    try:
        tool("mount", *words, str(place))
        try:
            yield place.path
        finally:
            tool("umount", str(place))
    finally:
        place.remove_empty()


def take_down_left_mounts() -> None:
    """Unmount what processes that are gone had mounted for now."""
    for place in _own_folder().folders():
        process = place.name.removeprefix(_PLACE).partition("-")[0]
        if place.name.startswith(_PLACE) and process.isdigit() and not _is_alive(process):
            with contextlib.suppress(EngineError):
                tool("umount", str(place))
            with contextlib.suppress(OSError):
                place.remove_empty()


def _own_folder() -> Beneath:
    """The folder for it, made where it is missing. EngineError where others can enter it."""
    above = next((place for place in _ABOVE if os.path.isdir(place)), _ABOVE[-1])
    own = Beneath(above, _OWN, ours=True)
    own.make_folder()
    why = why_not_trusted(own.path)
    if why or os.stat(own.path).st_mode & 0o077:
        raise EngineError(1, why or f"others can enter {own}: chmod 700 {own}")
    return own


def _is_alive(process: str) -> bool:
    return os.path.isdir(f"/proc/{process}")
