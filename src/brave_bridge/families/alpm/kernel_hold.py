"""Holding an alpm machine at a series of kernels: pacman passes its packages over."""

from collections.abc import Mapping, Sequence

from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.formats.marked_part import with_part, without_part
from brave_bridge.core.formats.package_locks import OWN_NAME
from brave_bridge.core.kernels.kernel_package import KernelPackage
from brave_bridge.core.kernels.series_hold import CannotHold, names_of
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.alpm.places import CONFIG
from brave_bridge.families.family import KernelHolding


class AlpmKernelHolding(KernelHolding):
    """See KernelHolding. pacman.conf(5) knows names alone, no versions: nothing newer comes."""

    paths = (CONFIG,)

    def costs(self, series: str, until: str) -> str:
        """See KernelHolding."""
        return (
            f"Fixes of {series} do not come either: pacman passes these packages over, whatever "
            f"version it has. A package of a {series} series of its own would get them."
        )

    def hold(
        self,
        facts: Facts,
        texts: Mapping[str, str],
        series: str,
        packages: Sequence[KernelPackage],
    ) -> FileText:
        """See KernelHolding."""
        part = (
            f"# kernels stay at {series}: brave-bridge hold-series --let-go takes this out\n"
            f"IgnorePkg = {' '.join(names_of(packages))}"
        )
        try:
            text = with_part(texts.get(CONFIG, ""), part, OWN_NAME, behind="[options]")
        except ValueError as error:
            raise CannotHold(f"{CONFIG}: {error}", "mend that file") from error
        return FileText(CONFIG, text)

    def let_go(self, texts: Mapping[str, str], where: str) -> FileText:
        """See KernelHolding."""
        return FileText(CONFIG, without_part(texts.get(CONFIG, ""), OWN_NAME))
