"""What families whose databases know whole packages only have in common."""

from collections.abc import Callable, Iterable, Iterator
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.apt_sources import SourceEntry
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.package_locks import PackageLock, with_locks
from brave_bridge.core.kernels.kernel_package import IMAGE, KernelPackage
from brave_bridge.core.survey.facts import ChangedConfig, Evidence, Facts
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Query, Seen, Sums

Packages = tuple[InstalledPackage, ...]


class WholePackageReading(msgspec.Struct, frozen=True):
    """See Reading. ``packages_in`` reads the database, ``facts_of`` adds what it tells."""

    queries: tuple[Query, ...]
    packages_in: Callable[[Seen, str], Packages]
    facts_of: Callable[[Seen, Packages, Facts], Facts]

    def begin(self, machine: str, seen: Seen) -> Packages:
        """See Reading."""
        return self.packages_in(seen, machine)

    def further(self, known: Packages) -> tuple[Query, ...]:
        """The sums of all config files of the packages."""
        return (Sums(tuple({path: None for package in known for path in package.conffiles})),)

    def facts(self, machine: Machine, seen: Seen, known: Packages, basic: Facts) -> Facts:
        """See Reading."""
        return self.facts_of(seen, known, basic)


def changed_configs(
    seen: Seen, packages: Iterable[InstalledPackage], managed_by: str
) -> Iterator[ChangedConfig]:
    """The config files that are not as shipped; the kind of sum is told by its length."""
    for package in packages:
        for path, shipped in package.conffiles.items():
            if path in seen.faults or len(shipped) not in (32, 64):
                continue
            md5, sha256 = seen.sums.get(path, ("", ""))
            if shipped not in (md5, sha256):
                yield ChangedConfig(path, package.name, managed_by, sha256)


def _kernel_packages(packages: Packages) -> Iterator[KernelPackage]:
    of_source: dict[str, list[str]] = {}
    for package in packages:
        if package.source:
            of_source.setdefault(package.source, []).append(package.name)
    for package in packages:
        if package.kernel:
            yield KernelPackage(
                name=package.name,
                version=package.version,
                kernel=package.kernel,
                part=IMAGE,
                by_hand=package.by_hand,
                held=package.is_held,
                size_bytes=package.installed_kib * 1024,
                held_by=package.held_by,
                siblings=tuple(
                    name
                    for name in dict.fromkeys(of_source.get(package.source, ()))
                    if name != package.name
                ),
            )


class Places(msgspec.Struct, frozen=True):
    """Where a family keeps its database, its sources, and what it knows of them."""

    database: str
    sources: str
    indices: str
    tools: tuple[str, ...]
    """Patterns of the packages whose versions a person asks for first."""


def package_facts(
    basic: Facts,
    seen: Seen,
    packages: tuple[InstalledPackage, ...],
    sources: tuple[SourceEntry, ...],
    places: Places,
    managed_by: str,
    locks: Iterable[PackageLock] = (),
) -> Facts:
    """The basic facts and what database, sources, locks and config files tell."""
    packages = tuple(with_locks(packages, locks))
    configs = tuple(changed_configs(seen, packages, managed_by))
    aside = tuple(seen.below.get("/etc", ()))
    return msgspec.structs.replace(
        basic,
        packages=packages,
        kernel_packages=tuple(_kernel_packages(packages)),
        sources=sources,
        changed_configs=configs,
        set_aside=aside,
        tools={
            package.name: package.version
            for package in packages
            if any(fnmatchcase(package.name, pattern) for pattern in places.tools)
        },
        evidence=(
            *basic.evidence,
            Evidence("packages", places.database, f"{len(packages)} entries"),
            Evidence("sources", places.sources, f"{len(sources)} active"),
            Evidence("configs", f"sums in {places.database}", f"{len(configs)} differ"),
            Evidence("set-aside", "/etc", f"{len(aside)} files"),
            Evidence(
                "indices", places.indices, "", absent="the indices of this family are not read yet"
            ),
        ),
    )
