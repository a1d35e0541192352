"""Config files held against the sums that their packages shipped, for families with one list."""

from collections.abc import Iterable, Iterator

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.survey.facts import ChangedConfig
from brave_bridge.machines.wishes import Seen, Sums


def sums_wish(packages: Iterable[InstalledPackage]) -> Sums:
    """The sums of all config files of the packages."""
    return Sums(tuple({path: None for package in packages for path in package.conffiles}))


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
