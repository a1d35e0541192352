"""Holding an rpm machine at a series of kernels, by the version locks of dnf."""

from collections.abc import Callable, Mapping, Sequence

from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.formats.dnf5_locks import with_range, without_comment
from brave_bridge.core.formats.marked_part import with_part, without_part
from brave_bridge.core.formats.package_locks import OWN_NAME, LocksFault, locks_are_on, locks_place
from brave_bridge.core.kernels.kernel_package import KernelPackage
from brave_bridge.core.kernels.series_hold import CannotHold, names_of
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.family import KernelHolding
from brave_bridge.families.rpm.places import LOCKS, LOCKS_5, LOCKS_CONFIG

_INSTALL = "install python3-dnf-plugin-versionlock"


class RpmKernelHolding(KernelHolding):
    """See KernelHolding. dnf 4 has a plug-in for it, dnf5 does it itself."""

    paths = (LOCKS, LOCKS_CONFIG, LOCKS_5)

    def hold(
        self,
        facts: Facts,
        texts: Mapping[str, str],
        series: str,
        packages: Sequence[KernelPackage],
    ) -> FileText:
        """See KernelHolding."""
        names = names_of(packages)
        versions = (package.version for package in packages)
        epoch = next((v.partition(":")[0] for v in versions if ":" in v), "0")
        if any(package.name == "dnf5" for package in facts.installed):
            return _by_dnf5(lambda text: _with_locks(text, series, names, epoch), texts)
        if LOCKS_CONFIG not in texts:
            raise CannotHold("dnf has no version locks here", _INSTALL)
        if not locks_are_on(texts[LOCKS_CONFIG]):
            remedy = f"switch them on in {LOCKS_CONFIG}"
            raise CannotHold("dnf's version locks are switched off", remedy)
        if (place := locks_place(texts[LOCKS_CONFIG])) not in ("", LOCKS):
            raise CannotHold(f"dnf keeps its version locks in {place}", f"have it use {LOCKS}")
        lines = tuple(f"{name}-{epoch}:{series}.*-*.*" for name in names)
        words = f"# kernels stay at {series}: brave-bridge hold-series --let-go takes this out"
        return FileText(
            LOCKS, with_part(texts.get(LOCKS, ""), "\n".join((words, *lines)), OWN_NAME)
        )

    def let_go(self, texts: Mapping[str, str], where: str) -> FileText:
        """See KernelHolding."""
        if where.startswith(LOCKS_5):
            return _by_dnf5(lambda text: without_comment(text, OWN_NAME) or "\n", texts)
        # dnf refuses to work where its plug-in finds no file.
        return FileText(LOCKS, without_part(texts.get(LOCKS, ""), OWN_NAME) or "\n")


def _with_locks(text: str, series: str, names: Sequence[str], epoch: str) -> str:
    first, _, second = series.partition(".")
    below = f"{epoch}:{first}.{int(second) + 1}~~"
    return with_range(
        text, names, f"{epoch}:{series}", below, f"{OWN_NAME}: kernels stay at {series}"
    )


def _by_dnf5(change: Callable[[str], str], texts: Mapping[str, str]) -> FileText:
    """The file of dnf5's locks, changed; CannotHold where it cannot be read."""
    try:
        return FileText(LOCKS_5, change(texts.get(LOCKS_5, "")))
    except LocksFault as fault:
        raise CannotHold(f"{LOCKS_5} cannot be read: {fault}", "mend that file") from fault
