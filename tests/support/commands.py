"""Command lines of the program, each a process of its own that has everything loaded already.

A copy of the tests' own process becomes the command: what takes most of a short command's time,
loading, was done before. That a command starts by itself is what ``test_ready_runner``, the
terminals of ``tests/screen`` and the runtime's tests are about.
"""

import contextlib
import gc
import importlib
import io
import os
import pkgutil
import signal
import subprocess
import sys
import time
import traceback
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import NoReturn

import typer

import brave_bridge
from brave_bridge.cli.entry import main
from brave_bridge.cli.ready import load_runner
from brave_bridge.cli.table import load_commands
from brave_bridge.snapshots.rescue.build import rescue_tool

_LOADED_AT_WORK = ("httpx", "pysat.solvers", "typer._adapters")
"""What the program and its libraries load only when a command needs it."""


def run_command(
    words: Sequence[str],
    *,
    environment: Mapping[str, str] | None = None,
    seconds: float = 900,
) -> subprocess.CompletedProcess[str]:
    """Run ``brave-bridge`` with these words; what came of it. TimeoutError."""
    load_for_copies()
    outputs = [os.memfd_create(name) for name in ("output", "errors")]
    process = os.fork()
    if not process:
        end_by(lambda: _be(list(words), outputs, environment))
    status = waited_for(process, seconds)
    if status is None:
        os.kill(process, signal.SIGKILL)
        os.waitpid(process, 0)
        raise TimeoutError(f"the command did not end within {seconds} s")
    said = []
    for output in outputs:
        with os.fdopen(output, "rb") as stream:
            stream.seek(0)
            said.append(stream.read().decode(errors="replace"))
    return subprocess.CompletedProcess(list(words), os.waitstatus_to_exitcode(status), *said)


@cache
def load_for_copies() -> None:
    """Load and make, once, what every copy of this process would load and make for itself."""
    load_commands()
    load_runner()
    for module in pkgutil.walk_packages(brave_bridge.__path__, "brave_bridge."):
        if not module.name.startswith("brave_bridge.tui") and ".plain" not in module.name:
            importlib.import_module(module.name)
    for name in _LOADED_AT_WORK:
        importlib.import_module(name)
    typer.main.get_command = cache(typer.main.get_command)
    rescue_tool()
    # What is there now is looked through no more, in each of the processes.
    gc.collect()
    gc.freeze()


def waited_for(process: int, seconds: float) -> int | None:
    """The wait status of a child, once it has ended; None where it takes longer."""
    until, pause = time.monotonic() + seconds, 0.002
    while True:
        ended, status = os.waitpid(process, os.WNOHANG)
        if ended:
            return status
        if time.monotonic() > until:
            return None
        time.sleep(pause)
        pause = min(pause * 1.5, 0.05)


def end_by(deed: Callable[[], int]) -> NoReturn:
    """Do what this copy of a process is for, and end it as a program ends that did it."""
    code = 1
    try:
        code = deed()
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else int(end.code is not None)
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(OSError, ValueError):
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(code)


def _be(words: list[str], outputs: list[int], environment: Mapping[str, str] | None) -> int:
    """Be the command."""
    if environment is not None:
        os.environ.clear()
        os.environ.update(environment)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    for number, output in enumerate(outputs, 1):
        os.dup2(output, number)
    sys.stdin = open(0, closefd=False)  # noqa: SIM115
    sys.stdout, sys.stderr = (
        io.TextIOWrapper(io.FileIO(n, "w", closefd=False), write_through=True) for n in (1, 2)
    )
    sys.argv = ["brave-bridge", *words]
    main()
    return 0
