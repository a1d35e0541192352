"""The runner of a command that begins something, loaded beside it on another processor."""

import os
from importlib import import_module
from pathlib import Path

from brave_bridge.cli.table import BEGINNING, OF_THE_TARGET, command_in
from brave_bridge.runner.ready_runner import CarryOut, ReadyRunner

_SYSTEMD = Path("/run/systemd/system")


def runner_for(words: list[str]) -> ReadyRunner | None:
    """A runner that loads from now on; None where the command begins nothing, or starts another.

    On a machine that systemd runs a runner is a service of its own.
    """
    is_a_service = not any(word.startswith(OF_THE_TARGET) for word in words) and _SYSTEMD.is_dir()
    if command_in(words) not in BEGINNING or is_a_service or (os.cpu_count() or 1) < 2:
        return None
    return ReadyRunner(load_runner)


def load_runner() -> CarryOut:
    """Import what a runner needs; what it does then."""
    from brave_bridge.workbench.run import main

    # What it opens first, and would load only then.
    import_module("brave_bridge.store.logbook")
    return main
