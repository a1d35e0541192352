"""Units of systemd that are placed for a while, and taken away again without a trace."""

import os
from collections.abc import Iterable
from pathlib import PurePosixPath

from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Names

UNITS = "/etc/systemd/system"
RUNS_SYSTEMD = "/run/systemd/system"
"""There where systemd is the system's init (sd_booted(3))."""

KEPT_VARIABLES = ("PATH", "LANG", "http_proxy", "https_proxy", "no_proxy", "LIBVIRT_DEFAULT_URI")
"""Of the environment, what a runner started elsewhere needs as well."""


def runs_systemd(machine: Machine) -> bool:
    """Whether systemd is the init of a machine that runs."""
    return RUNS_SYSTEMD in machine.files.gather((Names((RUNS_SYSTEMD,)),)).found


def drop_in(target: str, name: str) -> str:
    """The drop-in by which a target wants a unit of ours: no link, and nobody else's file."""
    return f"{UNITS}/{target}.d/{name}.conf"


def place_wanted(machine: Machine, unit: str, text: str, wanted: str) -> None:
    """Place a unit and the drop-in that wants it at the next boot."""
    place_unit(machine, unit, text)
    machine.files.write(wanted, f"[Unit]\nWants={unit}\n".encode(), 0o644)


def place_unit(machine: Machine, unit: str, text: str) -> None:
    """Place a unit; where a proxy's address in it holds a password, for root alone to read."""
    has_password = any("://" in line and "@" in line for line in text.splitlines())
    mode = 0o600 if has_password else 0o644
    machine.files.write(f"{UNITS}/{unit}", text.encode(), mode)


def take_away(machine: Machine, placed: tuple[str, ...], wanted: str) -> None:
    """Remove what was placed, and the folder of its drop-in where nothing else is there."""
    there = machine.files.gather((Names(placed),)).found
    for path in placed:
        if path in there:
            machine.files.remove(path)
    folder = str(PurePosixPath(wanted).parent)
    if wanted in there and not machine.files.below(folder):
        machine.files.remove_folder(folder)


def exec_start(argv: Iterable[str]) -> str:
    """A command as ExecStart has it: ``$`` begins a variable there (systemd.service(5))."""
    return "ExecStart=" + " ".join(_quoted(word).replace("$", "$$") for word in argv) + "\n"


def kept_variables() -> list[str]:
    """What this process was started with and is needed again, such as the way to a proxy."""
    return [f"{name}={os.environ[name]}" for name in KEPT_VARIABLES if name in os.environ]


def environment_lines() -> str:
    """The variables that are kept, for a unit.

    In Environment ``$`` has no meaning of its own (systemd.exec(5)).
    """
    return "".join(f"Environment={_quoted(word)}\n" for word in kept_variables())


def _quoted(word: str) -> str:
    """A word as systemd reads it (systemd.syntax(7)), its specifiers switched off."""
    return '"' + word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%") + '"'
