"""Starting the runner as a process of its own, which outlives the screen that started it."""

import errno
import fcntl
import os
import shutil
import struct
import subprocess
from pathlib import Path

from brave_bridge.machines.runtime import python_argv

_SYSTEMD = Path("/run/systemd/system")
"""There where systemd is the system's init (sd_booted(3))."""

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


def start_runner(
    target: tuple[str, ...], procedure: str, state: Path, runtime: Path | None = None
) -> int:
    """Start a detached runner for a procedure; the id of the process that starts it.

    ``target`` are the command-line words that name the machine; ``runtime`` is the folder of
    the runtime to run on, where that is not this process's own. On a machine that systemd
    runs it is a service of its own, not a part of whose session it was started from, and
    nobody shuts the machine down or sends it to sleep meanwhile without being told.
    """
    run = [*python_argv(runtime), "-m", "brave_bridge.workbench.run", *target, procedure]
    with open(state / LOG_FILE, "ab") as log:
        process = subprocess.Popen(
            detached(run, procedure, state) if not target else run,
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
            cwd="/",
        )
    return process.pid


def detached(run: list[str], procedure: str, state: Path) -> list[str]:
    """What starts a runner as a service of its own, holding off sleep and shutdown meanwhile.

    See systemd-run(1) and systemd-inhibit(1); where there is no systemd, the runner alone.
    """
    if not _SYSTEMD.is_dir() or os.geteuid() != 0 or shutil.which("systemd-run") is None:
        return run
    if _inhibits():
        why = f"{procedure} changes the system"
        words = ("--what=shutdown:sleep:idle", "--who=Brave Bridge", f"--why={why}", "--mode=block")
        run = ["systemd-inhibit", *words, *run]
    kept = [f"--setenv={name}={os.environ[name]}" for name in _KEPT if name in os.environ]
    log = state / LOG_FILE
    return [
        "systemd-run", "--quiet", "--collect", f"--unit=brave-bridge-{procedure}",
        f"--description=Brave Bridge: {procedure}", "--property=KillMode=process",
        f"--property=StandardOutput=append:{log}", f"--property=StandardError=append:{log}",
        "--property=OOMScoreAdjust=-500", *kept, "--", *run,
    ]  # fmt: skip


_KEPT = ("PATH", "LANG", "http_proxy", "https_proxy", "no_proxy", "LIBVIRT_DEFAULT_URI")


def _inhibits() -> bool:
    """Whether somebody answers who can hold off a shutdown."""
    if shutil.which("systemd-inhibit") is None:
        return False
    try:
        asked = subprocess.run(
            ["systemd-inhibit", "--list", "--no-pager"], capture_output=True, check=False,
            timeout=20,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return False
    return asked.returncode == 0
