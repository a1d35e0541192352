"""Which devices of a machine a kernel has a driver for, and how two kernels differ in that."""

from collections.abc import Iterable, Iterator
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.kernel_modules import Alias
from brave_bridge.core.survey.platform import Device

_WILD = "*?["


class Drivers:
    """The modules of one kernel, by the devices that they are for."""

    def __init__(self, aliases: Iterable[Alias]) -> None:
        self._by_beginning: dict[str, list[Alias]] = {}
        for pattern, module in aliases:
            self._by_beginning.setdefault(_beginning(pattern), []).append((pattern, module))
        self._lengths = sorted({len(beginning) for beginning in self._by_beginning})

    def __bool__(self) -> bool:
        return bool(self._by_beginning)

    def of(self, modalias: str) -> tuple[str, ...]:
        """The modules for a device, in the kernel's own order."""
        found: dict[str, None] = {}
        for length in self._lengths:
            for pattern, module in self._by_beginning.get(modalias[:length], ()):
                if fnmatchcase(modalias, pattern):
                    found[module] = None
        return tuple(found)


def _beginning(pattern: str) -> str:
    """What stands before the first wild card."""
    end = next((at for at, letter in enumerate(pattern) if letter in _WILD), len(pattern))
    return pattern[:end]


class DriverChange(msgspec.Struct, frozen=True):
    """A device that one kernel has a driver for and the other has not.

    ``modules`` are those of the kernel that has some; ``bound`` is the driver that works now.
    """

    device: str
    modalias: str
    modules: tuple[str, ...]
    bound: str
    gained: bool


def driver_changes(
    devices: Iterable[Device], here: Drivers, there: Drivers
) -> Iterator[DriverChange]:
    """What another kernel (``there``) would gain and lose, lost ones first."""
    found = []
    for device in devices:
        now, then = here.of(device.modalias), there.of(device.modalias)
        if bool(now) != bool(then):
            change = DriverChange(
                device.path, device.modalias, now or then, device.driver, gained=bool(then)
            )
            found.append(change)
    yield from sorted(found, key=lambda change: (change.gained, not change.bound))
