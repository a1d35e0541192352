"""Holding a deb machine at a series of kernels: a pin on what follows it (apt_preferences(5))."""

from collections.abc import Sequence

from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.kernels.kernel_package import KernelPackage, series_of
from brave_bridge.core.kernels.series_hold import OWN_NAME

_PLACE = f"/etc/apt/preferences.d/{OWN_NAME}"
_PRIORITY = 990
"""Above what sources have by themselves, below where a version is taken although it is older."""


class DebKernelHolding:
    """See KernelHolding."""

    def hold_file(self, series: str, packages: Sequence[KernelPackage]) -> FileText:
        """See KernelHolding; fixes within the series still come."""
        stanzas = [
            f"Package: {package.name}\n"
            f"Pin: version {_beginning(package.version, series)}.*\n"
            f"Pin-Priority: {_PRIORITY}\n"
            for package in packages
        ]
        words = (
            f"# This machine stays on kernels {series}; newer ones of that series still come.\n"
            "# Written by Brave Bridge: brave-bridge hold-series --let-go takes it back.\n\n"
        )
        return FileText(_PLACE, words + "\n".join(stanzas))


def _beginning(version: str, series: str) -> str:
    """How the versions of a package begin that follow the series: with its epoch, if it has one."""
    epoch = version.partition(":")[0] + ":" if ":" in version else ""
    return f"{epoch}{series_of(version) or series}"
