"""Holding a machine at a series of kernels: one decision, seen in what the machine itself has.

A hold is what the package manager of a family has for it: a pin on the packages that follow a
series (apt_preferences(5)), version locks of dnf, packages that pacman passes over.
"""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.formats.package_locks import OWN_NAME
from brave_bridge.core.kernels.kernel_package import KernelPackage, series_of
from brave_bridge.core.packages.updates import holds_back


class CannotHold(Exception):
    """A hold that the package manager cannot be given: why, and what would have to be done."""

    def __init__(self, why: str, remedy: str) -> None:
        super().__init__(why)
        self.why, self.remedy = why, remedy


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
    followers = [package for package in packages if package.follows_series]
    found: dict[tuple[str, str], list[str]] = {}
    for pin in pins:
        for package in followers:
            if holds_back(pin, package.name):
                key = (series_of(pin.value.replace("*", "0")), pin.path)
                found.setdefault(key, []).append(package.name)
    for package in followers:
        if package.held:
            where = package.held_by or "a hold"
            found.setdefault((series_of(package.version), where), []).append(package.name)
    return tuple(
        SeriesHold(series, tuple(dict.fromkeys(names)), where, OWN_NAME in where)
        for (series, where), names in found.items()
    )


def to_hold(packages: Iterable[KernelPackage], series: str) -> tuple[KernelPackage, ...]:
    """The packages that a hold at a series is about: all that follow it now."""
    return tuple(p for p in packages if p.follows_series and series_of(p.kernel) == series)


def names_of(packages: Iterable[KernelPackage]) -> tuple[str, ...]:
    """The names of packages and of those that have to stay with them."""
    return tuple(dict.fromkeys(name for p in packages for name in (p.name, *p.siblings)))
