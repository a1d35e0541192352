"""Starting the runner as a process of its own, which outlives the screen that started it."""

import errno
import fcntl
import os
import struct
import subprocess
import sys
from pathlib import Path

LOCK_FILE = "runner.lock"
LOG_FILE = "runner.log"

_FLOCK = "hhqqi0q"
"""The kernel's struct flock: kind, whence, start, length, process id."""


def lock_runner(state: Path):
    """The machine's runner lock, held as long as the returned file is open; None if taken."""
    stream = open(state / LOCK_FILE, "a+")  # noqa: SIM115 - held open as long as the lock
    try:
        fcntl.fcntl(stream, fcntl.F_OFD_SETLK, _whole_file(fcntl.F_WRLCK))
    except OSError as error:
        stream.close()
        if error.errno not in (errno.EAGAIN, errno.EACCES):
            raise
        return None
    os.set_inheritable(stream.fileno(), False)
    return stream


def runner_is_there(state: Path) -> bool:
    """Whether a runner is at work on the machine of that state folder.

    It only looks: whoever asks never holds the lock, not for an instant (fcntl(2),
    F_OFD_GETLK).
    """
    try:
        with open(state / LOCK_FILE, "rb") as stream:
            found = fcntl.fcntl(stream, fcntl.F_OFD_GETLK, _whole_file(fcntl.F_WRLCK))
    except FileNotFoundError:
        return False
    except OSError:
        return True
    return struct.unpack(_FLOCK, found)[0] != fcntl.F_UNLCK


def _whole_file(kind: int) -> bytes:
    return struct.pack(_FLOCK, kind, os.SEEK_SET, 0, 0, 0)


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
