"""What happens at the next boot, arranged with the init of the machine and taken away again.

On this system the runner is started anew and goes on with its procedure. A system that is only
mounted writes down what came up, for whoever opens it again.
"""

import os
from pathlib import PurePosixPath

from brave_bridge.core.formats.boot_account import SCRIPT, SCRIPT_TEXT
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Names
from brave_bridge.machines.runtime import python_argv
from brave_bridge.runner.launch import KEPT_VARIABLES

UNIT = "brave-bridge-after-boot.service"
_UNITS = "/etc/systemd/system"
_WANTED = f"{_UNITS}/multi-user.target.d/brave-bridge.conf"
_LOCAL_START = "/etc/local.d/brave-bridge.start"
_CRON = "/etc/cron.d/brave-bridge"
_PLACED = (f"{_UNITS}/{UNIT}", _WANTED, _LOCAL_START, _CRON, SCRIPT)
_SYSTEMD = ("/run/systemd/system", "/lib/systemd/systemd", "/usr/lib/systemd/systemd")
_OPENRC = "/run/openrc"
_LOOKED_FOR = (*_SYSTEMD, _OPENRC, *(str(PurePosixPath(p).parent) for p in (_LOCAL_START, _CRON)))

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


def take_away(machine: Machine, placed: tuple[str, ...], drop_in: str) -> None:
    """Remove what was placed, and the folder of a drop-in among it where nothing else is there."""
    there = machine.files.gather((Names(placed),)).found
    for path in placed:
        if path in there:
            machine.files.remove(path)
    folder = str(PurePosixPath(drop_in).parent)
    if drop_in in there and not machine.files.below(folder):
        machine.files.remove_folder(folder)


def _go_on_here(machine: Machine, there: set[str], procedure: str) -> str:
    run = [*python_argv(), "-m", "brave_bridge.workbench.run", procedure]
    if _SYSTEMD[0] in there:
        # Not a part of what it waits for, and not ended with the command that it starts.
        _place_unit(machine, "goes on with what it began before the restart", "simple", run)
        return "after the boot it goes on by itself"
    line = " ".join(_shell_quoted(word) for word in run)
    if _OPENRC in there and str(PurePosixPath(_LOCAL_START).parent) in there:
        machine.files.write(_LOCAL_START, f"#!/bin/sh\n{line} &\n".encode(), 0o755)
        return "after the boot it goes on by itself"
    if str(PurePosixPath(_CRON).parent) in there:
        # cron(8) gives % a meaning of its own.
        entry = f"@reboot root {line}\n".replace("%", "\\%")
        machine.files.write(_CRON, entry.encode(), 0o644)
        return "after the boot it goes on by itself, started by cron"
    return BY_HAND


def _account(machine: Machine, there: set[str]) -> str:
    if not there & set(_SYSTEMD):
        return "what came up is read from /var/log/wtmp, where the system writes it"
    machine.files.write(SCRIPT, SCRIPT_TEXT.encode(), 0o700)
    _place_unit(machine, "writes down what came up", "oneshot", ["/bin/sh", SCRIPT])
    return "at its boot the system writes down what came up"


def _place_unit(machine: Machine, what: str, kind: str, argv: list[str]) -> None:
    """A unit (systemd.service(5)) behind all others, wanted by a drop-in of their target."""
    command = " ".join(unit_quoted(word) for word in argv)
    unit = (
        f"# Placed by Brave Bridge; it is taken away when the procedure has ended.\n"
        f"[Unit]\nDescription=Brave Bridge {what}\n"
        "Wants=network-online.target\nAfter=network-online.target multi-user.target\n\n"
        f"[Service]\nType={kind}\nKillMode=process\nOOMScoreAdjust=-500\n"
        f"{environment_lines()}ExecStart={command}\n"
    )
    # For root alone: a proxy's address may hold a password.
    machine.files.write(f"{_UNITS}/{UNIT}", unit.encode(), 0o600)
    machine.files.write(_WANTED, f"[Unit]\nWants={UNIT}\n".encode(), 0o644)


def environment_lines() -> str:
    """What the runner was started with and needs again, such as the way to a proxy."""
    kept = ((name, os.environ[name]) for name in KEPT_VARIABLES if name in os.environ)
    return "".join(f"Environment={unit_quoted(f'{name}={value}')}\n" for name, value in kept)


def unit_quoted(word: str) -> str:
    """A word of ExecStart as systemd reads it (systemd.syntax(7))."""
    escaped = word.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + escaped.replace("%", "%%").replace("$", "$$") + '"'


def _shell_quoted(word: str) -> str:
    return "'" + word.replace("'", "'\\''") + "'"
