"""Whether what boots next is there whole, and whether there is room for what is still to come."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import Kernel
from brave_bridge.core.versions.deb import version_key

MARGIN = 1.25
LEAST_BYTES = 40_000_000
"""What a kernel with its initial file system is taken to need at least."""


_MAKERS = {"initramfs-tools", "dracut", "mkinitcpio", "booster", "tiny-initramfs"}
"""Packages that make an initial file system for every kernel that is installed."""


class KernelRoom(msgspec.Struct, frozen=True):
    """Room for one more kernel at ``path``: bytes that are free, and that it is taken to need."""

    path: str
    free: int
    need: int

    @property
    def is_enough(self) -> bool:
        return self.free >= self.need

    @property
    def words(self) -> str:
        """What is free and what is needed, in a sentence."""
        return f"{self.path}: {byte_size(self.free)} free, a kernel needs {byte_size(self.need)}"


def room_for_a_kernel(facts: Facts) -> KernelRoom | None:
    """By the largest kernel that is there; None where none is, or the room is not known."""
    room = facts.room_at("/boot")
    if room is None or not facts.kernels:
        return None
    largest = max(kernel.boot_bytes for kernel in facts.kernels)
    return KernelRoom(room.path, room.free_bytes, int(max(largest * MARGIN, LEAST_BYTES)))


def spare_kernels(facts: Facts) -> tuple[str, ...]:
    """The kernels that may go for room: none that runs, and never the last that can boot."""
    fit = [one for one in facts.kernels if not any(_lacks(facts, one))]
    if not fit:
        return ()
    kept = max(fit, key=lambda one: version_key(one.version))
    return tuple(one.version for one in facts.kernels if not one.running and one is not kept)


def unfit_to_boot(facts: Facts, kernel: str) -> tuple[str, ...]:
    """What a boot of that kernel would lack, each in a sentence; of an empty one, the next boot."""
    grave = tuple(fault.words for fault in facts.loader.faults if fault.next_boot)
    if not kernel:
        return grave
    image = next((one for one in facts.kernels if one.version == kernel), None)
    if image is None:
        return (f"there is no image of kernel {kernel}", *grave)
    return (*_lacks(facts, image), *grave)


def _lacks(facts: Facts, image: Kernel) -> Iterator[str]:
    if image.initrd == "" and _needs_initrd(facts):
        yield f"kernel {image.version} has no initial file system in /boot"
    if image.modules is False and any(one.modules for one in facts.kernels):
        yield f"the modules of kernel {image.version} are not there, or depmod has no list of them"
    entries = facts.loader.entries
    if entries and not any(entry.kernel == image.version for entry in entries):
        yield f"no entry of the boot menu starts kernel {image.version}"


def _needs_initrd(facts: Facts) -> bool:
    """Whether kernels boot by one here; not where the one that runs came up without."""
    if any(one.running and one.initrd == "" for one in facts.kernels):
        return False
    has_maker = any(package.name in _MAKERS for package in facts.installed)
    return has_maker or any(one.initrd for one in facts.kernels)
