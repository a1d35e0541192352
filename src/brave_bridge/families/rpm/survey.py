"""What an rpm machine's package database, repositories and config files tell."""

from collections.abc import Iterator
from contextlib import suppress

import msgspec

from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.ini_sources import read_repo_file
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.package_locks import (
    LocksFault,
    PackageLock,
    dnf5_version_locks,
    dnf_exclusions,
    dnf_version_locks,
    locks_are_on,
)
from brave_bridge.core.formats.rpm_database import read_rpm_database
from brave_bridge.core.survey.facts import Evidence, Facts, ReleaseSeen
from brave_bridge.core.survey.manager_options import dnf_options, dnf_release
from brave_bridge.families.rpm.places import DATABASES, LOCKS, LOCKS_5, LOCKS_CONFIG, SET_ASIDE
from brave_bridge.families.whole_packages import Places, WholePackageReading, package_facts
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Below, Contents, Names, Query, Seen

_OLDER = ("/var/lib/rpm/Packages", "/usr/lib/sysimage/rpm/Packages.db", "/var/lib/rpm/Packages.db")
_REPOSITORIES = "/etc/yum.repos.d/*.repo"
_CONFIG = "/etc/dnf/dnf.conf"
_RELEASE = "/etc/dnf/vars/releasever"
_LIMIT = 400_000_000
_TOOLS = (
    "glibc",
    "rpm",
    "dnf",
    "systemd",
    "kernel",
    "kernel-core",
    "openssh-server",
    "openssl",
    "nginx",
    "httpd",
    "postgresql-server",
    "python3",
    "perl",
    "fathom-*",
)
_RELEASE_PACKAGES = ("fathom-release", "fedora-release", "rocky-release", "almalinux-release")
QUERIES: tuple[Query, ...] = (
    Contents(DATABASES, _LIMIT),
    Contents((_REPOSITORIES, _CONFIG, _RELEASE, LOCKS, LOCKS_CONFIG, LOCKS_5), 1_000_000),
    Names((*_OLDER, "/etc/pki/rpm-gpg/*")),
    Below(("/etc",), SET_ASIDE),
)


def packages_in(seen: Seen, machine: str) -> tuple[InstalledPackage, ...]:
    """The packages of the database; MachineError where there is none that can be read."""
    attempted = "reading the package database"
    for path in DATABASES:
        content = seen.contents.get(path)
        if content is not None:
            try:
                return tuple(read_rpm_database(content, where=path))
            except FormatError as error:
                raise MachineError(
                    attempted, machine, f"{path} is damaged: {error}", "rpm --rebuilddb"
                ) from error
    older = next((path for path in _OLDER if path in seen.found), "")
    if older:
        raise MachineError(
            attempted,
            machine,
            f"{older} is of an older kind that is not read yet",
            "rpm --rebuilddb writes the present kind",
        )
    raise MachineError(attempted, machine, f"{DATABASES[0]}: No such file or directory")


def _locks(seen: Seen) -> Iterator[PackageLock]:
    """What the package manager leaves as it is, by its configuration and its plug-in."""
    for pattern in (_CONFIG, _REPOSITORIES):
        for path, text in seen.texts(pattern):
            yield from dnf_exclusions(text, path)
    if locks_are_on(seen.text(LOCKS_CONFIG) or ""):
        yield from dnf_version_locks(seen.text(LOCKS) or "", LOCKS)
    # What cannot be read here holds nothing there either: dnf5 refuses to start with it.
    with suppress(LocksFault):
        yield from dnf5_version_locks(seen.text(LOCKS_5) or "", LOCKS_5)


def rpm_facts(seen: Seen, packages: tuple[InstalledPackage, ...], basic: Facts) -> Facts:
    """The basic facts and all that database, repositories and config files tell."""
    where = next((path for path in DATABASES if path in seen.contents), DATABASES[0])
    sources = tuple(
        entry for path, text in seen.texts(_REPOSITORIES) for entry in read_repo_file(text, path)
    )
    places = Places(where, _REPOSITORIES, "/var/cache/dnf", _TOOLS)
    facts = package_facts(basic, seen, packages, sources, places, "rpm", _locks(seen))
    history = tuple(
        ReleaseSeen(package.installed_at[:10], package.version)
        for package in packages
        if package.name in _RELEASE_PACKAGES and package.installed_at
    )
    absent = "" if history else "no package tells of the release"
    told = Evidence("history", where, f"{len(history)} releases", absent=absent)
    config = seen.text(_CONFIG) or ""
    return msgspec.structs.replace(
        facts,
        history=history,
        settings_against=tuple(dnf_options(config, _CONFIG)),
        preferred_release=dnf_release(config, _CONFIG, seen.text(_RELEASE) or "", _RELEASE),
        evidence=(*facts.evidence, told),
    )


READING = WholePackageReading(QUERIES, packages_in, rpm_facts)
