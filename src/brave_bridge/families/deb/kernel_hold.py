"""Holding a deb machine at a series of kernels: a pin on what follows it (apt_preferences(5))."""

from collections.abc import Mapping, Sequence

from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.formats.package_locks import OWN_NAME
from brave_bridge.core.kernels.kernel_package import KernelPackage, series_of
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.family import KernelHolding

_PLACE = f"/etc/apt/preferences.d/{OWN_NAME}"
_PRIORITY = 990
"""Above what sources have by themselves, below where a version is taken although it is older."""


class DebKernelHolding(KernelHolding):
    """See KernelHolding."""

    def hold(
        self,
        facts: Facts,
        texts: Mapping[str, str],
        series: str,
        packages: Sequence[KernelPackage],
    ) -> FileText:
        """See KernelHolding; fixes within the series still come."""
        stanzas = [
            f"Package: {package.name}\n"
            f"Pin: version {_versions(package, series)}\n"
            f"Pin-Priority: {_PRIORITY}\n"
            for package in packages
        ]
        words = (
            f"# This machine stays on kernels {series}; newer ones of that series still come.\n"
            "# Written by Brave Bridge: brave-bridge hold-series --let-go takes it back.\n\n"
        )
        return FileText(_PLACE, words + "\n".join(stanzas))

    def let_go(self, texts: Mapping[str, str], where: str) -> FileText:
        """See KernelHolding."""
        return FileText(_PLACE, "")


def _versions(package: KernelPackage, series: str) -> str:
    """The versions of a package that follow the series, with its epoch, if it has one.

    One that has a kernel itself, under versions that do not tell its series, stays as it is.
    """
    version = package.version
    of_version = series_of(version)
    if not package.needs and of_version != series:
        return version
    epoch = version.partition(":")[0] + ":" if ":" in version else ""
    return f"{epoch}{of_version or series}.*"
