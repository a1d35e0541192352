"""Facts that every machine has, whatever its family: identity, kernels, room."""

import os
from datetime import UTC, datetime

from brave_bridge.core.survey.facts import Evidence, Facts, Kernel, Space
from brave_bridge.families.identify import read_identity
from brave_bridge.machines.port import Machine


def survey_basic(machine: Machine) -> Facts:
    """The facts that need no package database; MachineError where this is no system."""
    identity, seen = read_identity(machine)
    kernels = _kernels(machine)
    return Facts(
        machine=machine.name,
        kind=machine.kind,
        taken_at=datetime.now(UTC).isoformat(timespec="seconds"),
        identity=identity,
        packages=(),
        source_files=(),
        sources=(),
        archives=(),
        changed_configs=(),
        set_aside=(),
        space=_space(machine),
        kernels=kernels,
        tools={},
        boot_entries=tuple(machine.matching("/boot/loader/entries/*.conf")),
        evidence=(seen, Evidence("kernels", "/boot", f"{len(kernels)} images")),
    )


def _kernels(machine: Machine) -> tuple[Kernel, ...]:
    running = os.uname().release if machine.kind == "running" else ""
    found = []
    for path in machine.matching("/boot/vmlinuz-*"):
        version = path.removeprefix("/boot/vmlinuz-")
        size = (machine.root / path.lstrip("/")).lstat().st_size
        found.append(Kernel(version, path, size, version == running))
    return tuple(found)


def _space(machine: Machine) -> tuple[Space, ...]:
    """Room on each file system that holds a part of the system."""
    spaces, devices = [], set()
    for path in ("/", "/usr", "/var", "/boot"):
        place = machine.root / path.lstrip("/")
        if place.is_dir() and (device := place.stat().st_dev) not in devices:
            devices.add(device)
            room = os.statvfs(place)
            free, total = room.f_bavail * room.f_frsize, room.f_blocks * room.f_frsize
            spaces.append(Space(path, free, total, room.f_favail))
    return tuple(spaces)
