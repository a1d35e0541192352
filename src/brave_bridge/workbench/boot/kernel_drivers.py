"""What another kernel would drive of a machine that the running one does not, and the other way."""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.formats.kernel_modules import Alias, read_aliases, read_builtin_aliases
from brave_bridge.core.formats.kernel_path import MODULE_FOLDERS
from brave_bridge.core.formats.text import counted, decoded, plain
from brave_bridge.core.kernels.drivers import DriverChange, Drivers, driver_changes
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Contents
from brave_bridge.workbench.boot.offered_kernels import must_be_offered
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused

_LARGEST = 64_000_000


class DriverReport(msgspec.Struct, frozen=True):
    """How a kernel differs from ``against`` for the devices of this machine.

    ``devices`` were looked at; ``undriven`` are those that it has no driver for, each with its
    modalias; ``unbuilt`` are modules from outside the kernel that are not built
    for it, ``cannot_build`` why they could not be now.
    """

    kernel: str
    against: str
    devices: int
    changes: tuple[DriverChange, ...]
    undriven: tuple[tuple[str, str], ...] = ()
    unbuilt: tuple[str, ...] = ()
    cannot_build: str = ""


def driver_report(desk: Desk, kernel: str) -> DriverReport:
    """Hold a kernel, installed or offered, against the one that runs; Refused where neither."""
    facts = desk.facts()
    attempted = f"comparing the drivers of kernel {kernel}"
    if not facts.hardware.devices:
        raise Refused(attempted, facts.why_not("hardware") or "no device tells what it is")
    running = facts.kernel_that_came_up
    here = Drivers(_installed(desk.machine, running))
    if not here:
        raise Refused(attempted, f"the modules of {running or 'the running kernel'} are not there")
    there = Drivers(_aliases(desk, facts, kernel))
    if not there:
        raise Refused(attempted, f"{kernel} has no list of modules: nothing can be told")
    outside = [module for module in facts.hardware.modules if module.origin == "dkms"]
    unbuilt = tuple(module.name for module in outside if kernel not in module.built_for)
    return DriverReport(
        kernel=kernel,
        against=running,
        devices=len(facts.hardware.devices),
        changes=tuple(driver_changes(facts.hardware.devices, here, there)),
        undriven=tuple(
            (device.path, device.modalias)
            for device in facts.hardware.devices
            if not there.of(device.modalias)
        ),
        unbuilt=unbuilt,
        cannot_build=_cannot_build(desk.machine, kernel) if unbuilt else "",
    )


def driver_lines(report: DriverReport) -> list[str]:
    """What a kernel would drive or not, held against the one that runs."""
    lines = [f"{report.kernel} against {report.against}: {counted(report.devices, 'device')}"]
    for change in report.changes:
        mark, words = ("●", "gains") if change.gained else ("■", "has no driver for")
        modules = ", ".join(change.modules)
        works = f", which {change.bound} drives now" if change.bound else ""
        lines.append(f"{mark} {words} {change.device} {change.modalias} ({modules}{works})")
    lost = {change.device for change in report.changes}
    lines += [
        f"○ neither has a driver for {device} {modalias}"
        for device, modalias in report.undriven
        if device not in lost
    ]
    if not report.changes:
        lines.append("● it drives what the running one drives")
    for name in report.unbuilt:
        why = f" ({report.cannot_build})" if report.cannot_build else ""
        lines.append(f"▲ {name} is not built for it{why}")
    return [plain(line) for line in lines]


def _aliases(desk: Desk, facts: Facts, kernel: str) -> Iterable[Alias]:
    if any(one.version == kernel for one in facts.kernels):
        return _installed(desk.machine, kernel)
    offered = must_be_offered(desk, kernel, f"comparing the drivers of kernel {kernel}")
    reading = family_named(facts.family).packages
    if reading is None:
        return ()
    wanted = ((offered.package, offered.version), *offered.modules)
    return reading.module_aliases(desk.machine, facts.sources, wanted)


def _installed(machine: Machine, kernel: str) -> list[Alias]:
    """The aliases of a kernel that is on the machine."""
    found: list[Alias] = []
    for folder in MODULE_FOLDERS:
        names = ("modules.alias", "modules.builtin.modinfo")
        paths = tuple(f"{folder}/{kernel}/{name}" for name in names)
        seen = machine.files.gather((Contents(paths, _LARGEST),))
        found += read_aliases(decoded(seen.contents.get(paths[0], b"")))
        found += read_builtin_aliases(seen.contents.get(paths[1], b""))
        if found:
            break
    return found


def _cannot_build(machine: Machine, kernel: str) -> str:
    """Why a module could not be built for a kernel: no headers, no compiler; empty where it can."""
    missing = []
    built = (f"{folder}/{kernel}/build/Makefile" for folder in MODULE_FOLDERS)
    if not any(machine.files.matching(path) for path in built):
        missing.append("its headers")
    if not machine.files.matching("/usr/bin/gcc*") and not machine.files.matching("/usr/bin/cc"):
        missing.append("a compiler")
    if not machine.files.matching("/usr/bin/make"):
        missing.append("make")
    return f"not installed: {', '.join(missing)}" if missing else ""
