"""Config migrations that only the releases between carry, for config files changed here."""

from collections.abc import Iterator, Sequence

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.crossing.requests import PlanPackages
from brave_bridge.core.formats.maintainer_scripts import Migration, migrations_in
from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.families.deb.shipped import scripts_to_come
from brave_bridge.machines.port import Machine

_MOST_PACKAGES, _MOST_BYTES = 20, 30_000_000
"""Packages are fetched for this: only those whose settings somebody cares for, and small ones."""


def migrations_missed(
    machine: Machine, request: PlanPackages, steps: Sequence[PackagePlan]
) -> Iterator[str]:
    """What scripts between do that those of the last release do not, a sentence each."""
    for name in request.configured[:_MOST_PACKAGES]:
        last = steps[-1].after.get(name)
        between = list(_between(request, steps, name))
        if last is None or not between:
            continue
        at_the_end = _migrations(machine, request.legs[-1].lists, last)
        if at_the_end is None:
            continue
        for lists, version in between:
            for migration in sorted(
                (_migrations(machine, lists, version) or set()) - at_the_end,
                key=lambda found: (found.kind == "guard", found.subject),
            ):
                yield plain(f"{version.title} {migration.words}; {last.version} no longer does")


def _between(
    request: PlanPackages, steps: Sequence[PackagePlan], name: str
) -> Iterator[tuple[str, PackageVersion]]:
    """The versions that a package takes on before the last leg, each with its leg's indices."""
    for leg, step in zip(request.legs[:-1], steps[:-1], strict=True):
        version, before = step.after.get(name), step.before.get(name)
        if version is not None and (before is None or version is not before.package):
            yield leg.lists, version


def _migrations(machine: Machine, lists: str, version: PackageVersion) -> set[Migration] | None:
    """What a version's scripts do; None where the package could not be looked into."""
    if version.details.download_bytes > _MOST_BYTES:
        return None
    try:
        return set(migrations_in(scripts_to_come(machine, lists, version).values()))
    except ArchiveFault:
        return None
