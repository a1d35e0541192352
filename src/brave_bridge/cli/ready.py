"""The runner of a command that begins something, loaded beside it on another processor."""

import os
from importlib import import_module

from brave_bridge.cli.table import BEGINNING, OF_THE_TARGET, command_in
from brave_bridge.runner.launch import is_service
from brave_bridge.runner.ready_runner import ReadyRunner, Work


def runner_for(words: list[str]) -> ReadyRunner | None:
    """A runner that loads from now on; None where the command begins nothing, or starts another.

    On a machine that systemd runs a runner is a service of its own.
    """
    if command_in(words) not in BEGINNING or (os.cpu_count() or 1) < 2:
        return None
    if is_service([word for word in words if word.startswith(OF_THE_TARGET)]):
        return None
    return ReadyRunner(load_runner)


def load_runner() -> Work:
    """Import what a runner needs; what it is able to do then."""
    from brave_bridge.workbench.run import begin, main

    # What it opens first, and would load only then.
    import_module("brave_bridge.store.logbook")
    return Work(main, begin)
