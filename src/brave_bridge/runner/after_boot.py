"""What happens at the next boot, arranged with the init of the machine and taken away again.

On this system the runner is started anew and goes on with its procedure. A system that is only
mounted writes down what came up, for whoever opens it again.
"""

import shlex
from fnmatch import fnmatchcase
from pathlib import PurePosixPath

from brave_bridge.core.formats.boot_account import SCRIPT, SCRIPT_TEXT
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Names
from brave_bridge.machines.runtime import python_argv
from brave_bridge.runner.placed_units import (
    RUNS_SYSTEMD,
    UNITS,
    drop_in,
    environment_lines,
    exec_start,
    kept_variables,
    place_wanted,
    take_away,
)

UNIT = "brave-bridge-after-boot.service"
_WANTED = drop_in("multi-user.target", "brave-bridge")
_LOCAL_START = "/etc/local.d/brave-bridge.start"
_CRON = "/etc/cron.d/brave-bridge"
_PLACED = (f"{UNITS}/{UNIT}", _WANTED, _LOCAL_START, _CRON, SCRIPT)
_SYSTEMD = (RUNS_SYSTEMD, "/lib/systemd/systemd", "/usr/lib/systemd/systemd")
_LOCAL_IS_STARTED = "/etc/runlevels/*/local"
_CRON_RUNS = ("/run/crond.pid", "/run/cron.pid", "/var/run/crond.pid", "/var/run/cron.pid")
_LOOKED_FOR = (
    *_SYSTEMD,
    _LOCAL_IS_STARTED,
    *_CRON_RUNS,
    *(str(PurePosixPath(path).parent) for path in (_LOCAL_START, _CRON)),
)

BY_HAND = "nobody starts it after the boot: then type brave-bridge go-on"


def arrange(machine: Machine, procedure: str) -> str:
    """Arrange for the next boot; what a person has to know of it, in a sentence, else nothing."""
    if machine.is_pretended:
        return ""
    there = set(machine.files.gather((Names(_LOOKED_FOR),)).found)
    if machine.is_this_system:
        return _go_on_here(machine, there, procedure)
    return _account(machine, there)


def clear(machine: Machine) -> None:
    """Take away what was arranged; does nothing where nothing was."""
    take_away(machine, _PLACED, _WANTED)


def _go_on_here(machine: Machine, there: set[str], procedure: str) -> str:
    run = [*python_argv(), "-m", "brave_bridge.workbench.run", procedure]
    if RUNS_SYSTEMD in there:
        # Not a part of what it waits for, and not ended with the command that it starts.
        _place_unit(machine, "goes on with what it began before the restart", "simple", run)
        return "after the boot it goes on by itself"
    # For root alone to read: a proxy's address may hold a password.
    line = shlex.join(["env", *kept_variables(), *run])
    if _has_local_starts(there):
        machine.files.write(_LOCAL_START, f"#!/bin/sh\n{line} &\n".encode(), 0o700)
        return "after the boot it goes on by itself"
    if there & set(_CRON_RUNS) and str(PurePosixPath(_CRON).parent) in there:
        # cron(8) gives % a meaning of its own.
        entry = f"@reboot root {line}\n".replace("%", "\\%")
        machine.files.write(_CRON, entry.encode(), 0o600)
        return "after the boot it goes on by itself, started by cron"
    return BY_HAND


def _has_local_starts(there: set[str]) -> bool:
    """Whether OpenRC starts what is in its folder of local scripts: that is a service as others."""
    started = any(fnmatchcase(path, _LOCAL_IS_STARTED) for path in there)
    return started and str(PurePosixPath(_LOCAL_START).parent) in there


def _account(machine: Machine, there: set[str]) -> str:
    if not there & set(_SYSTEMD):
        return "what came up is read from /var/log/wtmp, where the system writes it"
    machine.files.write(SCRIPT, SCRIPT_TEXT.encode(), 0o700)
    _place_unit(machine, "writes down what came up", "oneshot", ["/bin/sh", SCRIPT])
    return "at its boot the system writes down what came up"


def _place_unit(machine: Machine, what: str, kind: str, argv: list[str]) -> None:
    """A unit (systemd.service(5)) behind all others, wanted by a drop-in of their target."""
    text = (
        "# Placed by Brave Bridge; it is taken away when the procedure has ended.\n"
        f"[Unit]\nDescription=Brave Bridge {what}\n"
        "Wants=network-online.target\nAfter=network-online.target multi-user.target\n\n"
        f"[Service]\nType={kind}\nKillMode=process\nOOMScoreAdjust=-500\n"
        f"{environment_lines()}{exec_start(argv)}"
    )
    place_wanted(machine, UNIT, text, _WANTED)
