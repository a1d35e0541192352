"""Holding a machine at a series of kernels: one decision, seen in what the machine itself has.

A hold is a pin on the packages that follow a series (apt_preferences(5)): newer versions of the
series come, another series does not.
"""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.kernels.kernel_package import KernelPackage, series_of
from brave_bridge.core.packages.updates import holds_back

OWN_NAME = "brave-bridge-kernels"
"""The name of the file that a hold of ours is, whichever family's folder it is in."""


class SeriesHold(msgspec.Struct, frozen=True):
    """A series that a machine is held at: by which packages, and where that is written.

    ``is_ours``: Brave Bridge wrote it, and can take it back whole.
    """

    series: str
    packages: tuple[str, ...]
    where: str
    is_ours: bool


def series_holds(pins: Iterable[Pin], packages: Iterable[KernelPackage]) -> tuple[SeriesHold, ...]:
    """The series that pins or holds on a machine keep its kernels at."""
    followers = [package for package in packages if _follows(package)]
    found: dict[tuple[str, str], list[str]] = {}
    for pin in pins:
        for package in followers:
            if holds_back(pin, package.name):
                key = (series_of(pin.value.replace("*", "0")), pin.path)
                found.setdefault(key, []).append(package.name)
    for package in followers:
        if package.held:
            found.setdefault((series_of(package.version), "a hold"), []).append(package.name)
    return tuple(
        SeriesHold(series, tuple(names), where, where.endswith(f"/{OWN_NAME}"))
        for (series, where), names in found.items()
    )


def _follows(package: KernelPackage) -> bool:
    """Whether its next version may be of another series: its name says nothing of one."""
    return bool(package.needs) or series_of(package.kernel) not in package.name


def to_hold(packages: Iterable[KernelPackage], series: str) -> tuple[KernelPackage, ...]:
    """The packages that a hold at a series is about: all that follow it now."""
    return tuple(p for p in packages if p.needs and series_of(p.kernel) == series)
