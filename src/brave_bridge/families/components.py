"""What families whose systems are made as one have in common: parts that count as packages."""

from collections.abc import Iterable

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.kernels.kernel_package import IMAGE, KernelPackage
from brave_bridge.core.survey.platform import Kernel

_KERNEL = "kernel"


def kernels_among(
    parts: Iterable[InstalledPackage], kernels: Iterable[Kernel]
) -> tuple[KernelPackage, ...]:
    """The part that is one of the kernels in /boot: it is the system's own, not put there."""
    versions = {kernel.version for kernel in kernels}
    return tuple(
        KernelPackage(part.name, part.version, part.version, IMAGE, by_hand=None)
        for part in parts
        if part.name == _KERNEL and part.version in versions
    )
