"""The guard that keeps package scripts from starting services for the time of a crossing.

It is a policy-rc.d, which invoke-rc.d(8) and deb-systemd-invoke(1p) ask before they act: code
101 forbids. One that stood there before is kept, and asked in its turn.
"""

import re
import shlex
from collections.abc import Iterable

from brave_bridge.core.crossing.replies import Done
from brave_bridge.machines.port import Machine

GUARD = "/usr/sbin/policy-rc.d"
_KEPT = "/usr/sbin/policy-rc.d.before-crossing"
_MARK = b"# Placed by Brave Bridge for the time of a crossing"
_LIMIT = 1_000_000
_UNIT = re.compile(r"[A-Za-z0-9:_.\\@-]+")

_NONE_STARTS = b"#!/bin/sh\n" + _MARK + b": this system does not run.\nexit 101\n"


class PolicyGuard:
    """See ServiceGuard."""

    def guard(self, machine: Machine, later: Iterable[str]) -> Done:
        """See ServiceGuard."""
        return guard(machine, later)

    def unguard(self, machine: Machine) -> None:
        """See ServiceGuard."""
        unguard(machine)


def guard(machine: Machine, later: Iterable[str]) -> Done:
    """Place the guard: for all services where the system does not run, else for those only."""
    units = [unit for unit in later if _UNIT.fullmatch(unit)]
    runs = machine.is_this_system
    if runs and not units:
        return Done("the system runs: its services are its own")
    present = machine.files.read_if_there(GUARD, _LIMIT)
    is_anothers = present is not None and _MARK not in present
    if is_anothers and machine.files.read_if_there(_KEPT, _LIMIT) is None:
        machine.files.move(GUARD, _KEPT)
    machine.files.write(GUARD, _these_wait(units) if runs else _NONE_STARTS, mode=0o755)
    return Done("guard placed")


def unguard(machine: Machine) -> None:
    """Take the guard away, and put back what stood in its place."""
    if _MARK in (machine.files.read_if_there(GUARD, _LIMIT) or b""):
        machine.files.remove(GUARD)
    if machine.files.read_if_there(_KEPT, _LIMIT) is not None:
        machine.files.move(_KEPT, GUARD)


def _these_wait(units: Iterable[str]) -> bytes:
    """A guard that forbids what concerns some units, by the name of the unit or its script."""
    names = {name for unit in units for name in (unit, unit.removesuffix(".service"))}
    patterns = "|".join(shlex.quote(name) for name in sorted(names))
    kept = shlex.quote(_KEPT)
    return (
        f"#!/bin/sh\n{_MARK.decode()}: these restart when it is done.\n"
        f'case "$1" in {patterns}) exit 101 ;; esac\n'
        f'[ -x {kept} ] && exec {kept} "$@"\n'
        "exit 0\n"
    ).encode()
