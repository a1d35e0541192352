"""What keeps packages from changing beside a database: dnf.conf(5), versionlock, pacman.conf(5)."""

import tomllib
from collections.abc import Iterable, Iterator
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.ini_sources import sections
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.marked_part import part_in, without_part

OWN_NAME = "brave-bridge-kernels"
"""By this name what we hold kernels by is known, whichever family's file it is in."""

_MOST = 2000


class LocksFault(ValueError):
    """The file is not what dnf5 would read: why."""


class PackageLock(msgspec.Struct, frozen=True):
    """A pattern that names what does not change, and where that is written."""

    pattern: str
    where: str

    def holds(self, package: InstalledPackage) -> bool:
        """Whether the installed version of a package is what it names."""
        return any(fnmatchcase(name, self.pattern) for name in _names(package))


def _names(package: InstalledPackage) -> Iterator[str]:
    """The ways in which dnf names a package (dnf(8), "Specifying packages"); pacman: the first."""
    name, version, architecture = package.name, package.version, package.architecture
    epoch, colon, rest = version.partition(":")
    versions = {version, rest if colon else version, version if colon else f"0:{epoch}"}
    for whole in (name, *(f"{name}-{one}" for one in sorted(versions))):
        yield whole
        yield f"{whole}.{architecture}"


def dnf_exclusions(text: str, path: str) -> Iterator[PackageLock]:
    """What a configuration of dnf, or a repository in it, leaves out."""
    for _, name, rows in sections(text):
        for key, value in rows:
            if key in ("exclude", "excludepkgs"):
                yield from _locks(value.replace(",", " ").split(), f"{path} [{name}]")


def locks_are_on(config: str) -> bool:
    """Whether dnf's plug-in versionlock works, by its configuration."""
    return _main(config).get("enabled", "1").lower() not in ("0", "false", "no")


def locks_place(config: str) -> str:
    """Where the plug-in keeps its locks, by its configuration; empty where that does not say."""
    return _main(config).get("locklist", "")


def _main(config: str) -> dict[str, str]:
    return dict(row for _, name, rows in sections(config) if name == "main" for row in rows)


def dnf_version_locks(text: str, path: str) -> Iterator[PackageLock]:
    """What dnf's plug-in versionlock keeps at a version; ``!`` bans one, and keeps nothing."""
    ours = set(part_in(text, OWN_NAME).splitlines())
    for number, line in enumerate(text.splitlines()[:_MOST], start=1):
        pattern = line.partition("#")[0].strip()
        if pattern and not pattern.startswith("!"):
            yield PackageLock(pattern, _ours(path) if line in ours else f"{path}:{number}")


def dnf5_version_locks(text: str, path: str) -> Iterator[PackageLock]:
    """What dnf5 keeps at certain versions; LocksFault where it is not what dnf5 would read."""
    for name, comment in locked_names(text):
        yield PackageLock(name, _ours(path) if comment.startswith(OWN_NAME) else path)


def locked_names(text: str) -> Iterator[tuple[str, str]]:
    """The names of the packages that are locked, each with the comment that it has."""
    try:
        found = tomllib.loads(text).get("packages", [])
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise LocksFault(str(error)) from error
    for entry in found[:_MOST] if isinstance(found, list) else ():
        if isinstance(entry, dict) and isinstance(entry.get("name"), str):
            yield entry["name"], str(entry.get("comment", ""))


def pacman_ignored(text: str, path: str) -> Iterator[PackageLock]:
    """What pacman passes over at an upgrade (``IgnorePkg``)."""
    ours = f"[options]\n{part_in(text, OWN_NAME)}"
    for part, where in ((without_part(text, OWN_NAME), f"{path} [options]"), (ours, _ours(path))):
        for _, name, rows in sections(part):
            for key, value in rows:
                if name == "options" and key == "IgnorePkg":
                    yield from _locks(value.split(), where)


def _ours(path: str) -> str:
    return f"{path} ({OWN_NAME})"


def _locks(patterns: Iterable[str], where: str) -> Iterator[PackageLock]:
    for pattern in list(patterns)[:_MOST]:
        yield PackageLock(pattern, where)


def with_locks(
    packages: Iterable[InstalledPackage], locks: Iterable[PackageLock]
) -> Iterator[InstalledPackage]:
    """The packages, those that a lock holds marked as held, with where that is written."""
    known = tuple(locks)
    for package in packages:
        lock = next((one for one in known if one.holds(package)), None)
        if lock is None:
            yield package
        else:
            yield msgspec.structs.replace(package, want="hold", held_by=lock.where)
