"""Starting the runner as a process of its own, which outlives the screen that started it."""

import os
import shutil
import subprocess
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import BinaryIO

from brave_bridge.machines.port import State
from brave_bridge.machines.runtime import python_argv
from brave_bridge.runner.placed_units import KEPT_VARIABLES, RUNS_SYSTEMD
from brave_bridge.runner.ready_runner import ReadyRunner

_START_SECONDS = 60
_SYSTEMD = Path(RUNS_SYSTEMD)

LOCK_FILE = "runner.lock"
LOG_FILE = "runner.log"


def lock_runner(state: State) -> ExitStack | None:
    """The machine's runner lock, held until that is closed; None if another has it."""
    return state.hold(LOCK_FILE)


def runner_is_there(state: State) -> bool:
    """Whether a runner is at work on the machine of that state folder."""
    return state.is_held(LOCK_FILE)


def start_runner(
    target: tuple[str, ...],
    procedure: str,
    state: State,
    runtime: Path | None = None,
    ready: ReadyRunner | None = None,
) -> int:
    """Start a detached runner for a procedure; the id of the process that starts it.

    ``target`` are the command-line words that name the machine; ``runtime`` is the folder of
    the runtime to run on, where that is not this process's own. On a machine that systemd
    runs it is a service of its own, not a part of whose session it was started from. Where
    systemd cannot start it, as after a return that exchanged its files, it starts without.
    ``ready`` is a process that is loaded already; it is used where nothing else is needed.
    """
    run = [*python_argv(runtime), "-m", "brave_bridge.workbench.run", *target, procedure]
    place = state.here(LOG_FILE)
    is_a_service = is_service(target)
    if ready is not None and runtime is None and not is_a_service:
        started = ready.start([*target, procedure], place)
        if started is not None:
            return started
    with place.opened_to_change() as log:
        if is_a_service and _is_started(as_service(run, procedure, place.path), log):
            return 0
        process = subprocess.Popen(
            run, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True, cwd="/"
        )
    return process.pid


def is_service(target: Sequence[str]) -> bool:
    """Whether the runner of that target is a service of systemd's: of this machine itself."""
    return not target and _has_systemd()


def _has_systemd() -> bool:
    return _SYSTEMD.is_dir() and os.geteuid() == 0 and shutil.which("systemd-run") is not None


def _is_started(argv: list[str], log: BinaryIO) -> bool:
    """Whether a service could be started; with ``Type=exec`` that it runs is waited for."""
    try:
        asked = subprocess.run(
            argv,
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            check=False,
            cwd="/",
            timeout=_START_SECONDS,
        )
    except (OSError, subprocess.TimeoutExpired):
        return False
    return asked.returncode == 0


def as_service(run: list[str], procedure: str, log: Path) -> list[str]:
    """What starts a runner as a service of its own (systemd-run(1))."""
    kept = [f"--setenv={name}={os.environ[name]}" for name in KEPT_VARIABLES if name in os.environ]
    return [
        "systemd-run",
        "--quiet",
        "--collect",
        f"--unit=brave-bridge-{procedure}",
        f"--description=Brave Bridge: {procedure}",
        "--property=Type=exec",
        "--property=KillMode=process",
        f"--property=StandardOutput=append:{log}",
        f"--property=StandardError=append:{log}",
        "--property=OOMScoreAdjust=-500",
        *kept,
        "--",
        *run,
    ]
