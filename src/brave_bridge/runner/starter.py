"""The command on the PATH, kept working while a leg replaces what it was installed in.

A script that pip wrote starts the environment's interpreter; a leg may take that away. In its
place comes one that asks the environment first and falls back on the runtime of our own.
"""

import os
import shlex
import shutil
import sys
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.runner.own_runtime import NAME

LOST = "BRAVE_BRIDGE_LOST_ENVIRONMENT"
"""Set by the starter where the environment no longer works: its folder."""

_MARK = "# Placed by Brave Bridge before a leg"
_LARGEST = 20_000


def keep_starting(runtime: Path) -> list[Path]:
    """Let every ``brave-bridge`` of this environment start from the runtime if need be.

    The scripts that were replaced, or were before. OSError where one cannot be written.
    """
    places = {Path(sys.prefix) / "bin" / NAME, Path(shutil.which(NAME) or "/nowhere")}
    kept = []
    for place in sorted(places):
        if _is_ours(place):
            _at(place).write(_starter(runtime).encode())
            kept.append(place)
    return kept


def _at(place: Path) -> Beneath:
    """A script of an environment, which belongs to whoever made that."""
    return Beneath(place.parent, place.name)


def _is_ours(place: Path) -> bool:
    """Whether a script is one that pip wrote for us, or that we placed."""
    try:
        text = _at(place).read(_LARGEST).decode("utf-8", "replace")
    except OSError:
        return False
    return _MARK in text or "brave_bridge.cli.entry" in text


def _starter(runtime: Path) -> str:
    python = shlex.quote(sys.executable)
    return (
        "#!/bin/sh\n"
        f"{_MARK}: it asks the environment that it was installed in first.\n"
        f"if {python} -c 'import brave_bridge, msgspec' 2>/dev/null; then\n"
        f'  exec {python} -m brave_bridge.cli.entry "$@"\n'
        "fi\n"
        f"{LOST}={shlex.quote(sys.prefix)}\n"
        f"export {LOST}\n"
        f'exec {shlex.quote(str(runtime / NAME))} "$@"\n'
    )


def lost_words() -> str:
    """How to renew the environment, where this process had to do without it; else empty."""
    lost = os.environ.get(LOST, "")
    if not lost:
        return ""
    folder = shlex.quote(lost)
    return (
        f"the environment in {lost} no longer works; Brave Bridge runs from its own runtime. "
        f"Renew it: python3 -m venv --clear {folder} && {folder}/bin/pip install {NAME}"
    )
