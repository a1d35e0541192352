"""Which kernels stay on a machine, and why: never is the last one that is known to start taken."""

from collections.abc import Collection, Iterator

from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.core.kernels.kernel_package import IMAGE, KernelPackage
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import Kernel
from brave_bridge.core.versions.deb import version_key

LEAST = 2
"""How many kernels stay at least: the one that runs, and one to fall back to."""


def newest_first(facts: Facts) -> list[Kernel]:
    """The kernels of a machine, by their versions."""
    return sorted(facts.kernels, key=lambda kernel: version_key(kernel.version), reverse=True)


def packages_of(facts: Facts, kernel: str) -> tuple[KernelPackage, ...]:
    """The packages that have something of a kernel; not those that only follow its series."""
    return tuple(p for p in facts.kernel_packages if p.kernel == kernel and not p.needs)


def image_of(facts: Facts, kernel: str) -> KernelPackage | None:
    """The package that a kernel's image is from; None where it is nobody's."""
    return next((p for p in packages_of(facts, kernel) if p.part == IMAGE), None)


def followers_of(facts: Facts, kernel: str) -> tuple[KernelPackage, ...]:
    """The packages that bring every newer kernel of a series, and have brought this one."""
    return tuple(p for p in facts.kernel_packages if p.kernel == kernel and p.needs)


def why_it_must_stay(
    facts: Facts, kernel: str, *, beside: Collection[str] = (), least: int = LEAST
) -> str:
    """Why a kernel must not be taken away, with those ``beside`` it; empty where it may."""
    came_up = facts.kernel_that_came_up
    if kernel == came_up:
        return "it is what runs" if facts.runs else "the system came up with it the last time"
    coming = next_entry(facts.loader)
    if coming is not None and coming.kernel == kernel:
        return "it is what boots next"
    going = {kernel, *beside}
    if not came_up:
        # Nothing tells which one is known to start: the newest is what its menu takes first.
        newest = newest_first(facts)[0].version if facts.kernels else ""
        if kernel == newest:
            return "nothing tells which kernel started last, and this is the newest"
    left = [one for one in facts.kernels if one.version not in going]
    if len(left) < least:
        return f"{least} kernels have to stay, and {len(left)} would"
    image = image_of(facts, kernel)
    if image is None and not facts.packages:
        return "whose it is is not known"
    if image is None:
        return "no package has it: it was put there by hand, and goes by hand"
    if image.held:
        return f"{image.name} is held"
    if followers := followers_of(facts, kernel):
        names = ", ".join(package.name for package in followers)
        return f"{names} has brought it: without it no newer kernel would come"
    return ""


def old_kernels(facts: Facts, *, spared: Collection[str] = (), least: int = LEAST) -> Iterator[str]:
    """The kernels that may go by rule, oldest first.

    Not what runs or boots next, not the newest ``least``, not those that somebody asked for by
    name, and none in ``spared``.
    """
    going: list[str] = []
    for kernel in reversed(newest_first(facts)[least:]):
        image = image_of(facts, kernel.version)
        if image is None or image.by_hand or kernel.version in spared:
            continue
        if not why_it_must_stay(facts, kernel.version, beside=going, least=least):
            going.append(kernel.version)
    yield from going
