"""Starting the runner as a process of its own, which outlives the screen that started it."""

import fcntl
import os
import subprocess
import sys
from pathlib import Path

LOCK_FILE = "runner.lock"
LOG_FILE = "runner.log"


def lock_runner(state: Path):
    """The machine's runner lock, held as long as the returned file is open; None if taken."""
    stream = open(state / LOCK_FILE, "a+")  # noqa: SIM115 - held open as long as the lock
    try:
        fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        stream.close()
        return None
    os.set_inheritable(stream.fileno(), False)
    return stream


def runner_is_there(state: Path) -> bool:
    """Whether a runner is at work on the machine of that state folder."""
    if not (state / LOCK_FILE).exists():
        return False
    try:
        stream = lock_runner(state)
    except OSError:
        return True
    if stream is None:
        return True
    stream.close()
    return False


def start_runner(target: tuple[str, ...], procedure: str, state: Path) -> int:
    """Start a detached runner for a procedure; its process id.

    ``target`` are the command-line words that name the machine.
    """
    with open(state / LOG_FILE, "ab") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "brave_bridge.workbench.run", *target, procedure],
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
            cwd="/",
        )
    return process.pid
