"""Reading a deb machine's facts in one pass over the machine port; nothing is run."""

import hashlib
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.apt_release import read_archive_release
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile, entries, index_stem
from brave_bridge.core.formats.apt_status_db import InstalledPackage, read_status
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.text import decoded
from brave_bridge.core.survey.facts import (
    ArchiveSeen,
    ChangedConfig,
    Evidence,
    Facts,
)
from brave_bridge.families.deb.commands import LISTS, DebFamily
from brave_bridge.machines.port import Machine, MachineError

STATUS = "/var/lib/dpkg/status"
_STATUS_LIMIT = 100_000_000
_CONFIG_LIMIT = 16_000_000
_UCF_HASHES = "/var/lib/ucf/hashfile"
_UCF_REGISTRY = "/var/lib/ucf/registry"

TOOL_PATTERNS = (
    "libc6", "quay-libc", "apt", "dpkg", "systemd", "linux-image-*", "openssh-server",
    "openssl", "nginx", "nginx-core", "nginx-light", "apache2", "postgresql", "postgresql-[0-9]*",
    "mariadb-server", "python3", "perl", "php", "cron", "rsyslog", "logrotate",
    "quay-linux", "quay-webd", "quay-tidebase", "quay-ssh",
)  # fmt: skip
"""The packages whose versions a person asks for first."""


def survey_deb(machine: Machine, basic: Facts) -> Facts:
    """The basic facts and all that the package database, sources and config files tell.

    MachineError where the package database is missing or damaged.
    """
    packages = read_packages(machine)
    files = read_source_files(machine)
    sources = tuple(entry for file in files for entry in entries(file))
    configs = tuple(_changed_configs(machine, packages))
    aside = _set_aside(machine)
    return msgspec.structs.replace(
        basic,
        packages=packages,
        source_files=files,
        sources=sources,
        archives=tuple(_archives(machine, sources)),
        changed_configs=configs,
        set_aside=aside,
        tools=_tools(packages),
        evidence=(
            *basic.evidence,
            Evidence("packages", STATUS, f"{len(packages)} entries"),
            Evidence(
                "sources",
                "/etc/apt/sources.list, /etc/apt/sources.list.d",
                f"{len(sources)} active",
            ),
            Evidence(
                "configs", f"MD5 sums in {STATUS} and {_UCF_HASHES}", f"{len(configs)} differ"
            ),
            Evidence("set-aside", "/etc", f"{len(aside)} files"),
        ),
    )


def read_packages(machine: Machine) -> tuple[InstalledPackage, ...]:
    """The package database; MachineError where it is missing or damaged."""
    content = machine.read(STATUS, _STATUS_LIMIT)
    try:
        packages = tuple(read_status(content.decode("utf-8"), where=STATUS))
    except (FormatError, UnicodeDecodeError) as error:
        raise MachineError(
            "reading the package database",
            machine.name,
            f"{STATUS} is damaged: {error}",
            "a copy of the day before is /var/backups/dpkg.status.0 or /var/lib/dpkg/status-old",
        ) from error
    if not packages:
        raise MachineError(
            "reading the package database", machine.name, f"{STATUS} names no package"
        )
    return packages


def read_source_files(machine: Machine) -> tuple[SourceFile, ...]:
    """All source files that apt reads, in its order (sources.list(5))."""
    paths = [
        "/etc/apt/sources.list",
        *machine.matching("/etc/apt/sources.list.d/*.list"),
        *machine.matching("/etc/apt/sources.list.d/*.sources"),
    ]
    return tuple(
        SourceFile(path, decoded(machine.read(path, 1_000_000)))
        for path in paths
        if machine.is_file(path)
    )


def _archives(machine: Machine, sources: tuple[SourceEntry, ...]):
    asked = set()
    for entry in sources:
        for uri in entry.uris:
            for suite in entry.suites:
                key = (uri.rstrip("/"), suite)
                if key in asked or suite.endswith("/"):
                    continue
                asked.add(key)
                seen = _archive(machine, *key)
                if seen:
                    yield seen


def _archive(machine: Machine, uri: str, suite: str) -> ArchiveSeen | None:
    stem = f"{LISTS}/{index_stem(uri, suite)}"
    for path in (stem + "InRelease", stem + "Release"):
        try:
            content = machine.read_if_there(path, 4_000_000)
            if content is None:
                continue
            release = read_archive_release(decoded(content), where=path)
        except (MachineError, FormatError):
            continue
        return ArchiveSeen(
            uri, suite, release.origin, release.codename, release.version, release.date
        )
    return None


def _changed_configs(machine: Machine, packages: tuple[InstalledPackage, ...]):
    for package in packages:
        if package.is_present:
            for path, shipped in package.conffiles.items():
                yield from _if_changed(machine, path, package.name, "dpkg", shipped)
    owners = dict(_pairs(machine, _UCF_REGISTRY, swap=True))
    for path, shipped in _pairs(machine, _UCF_HASHES, swap=True):
        yield from _if_changed(machine, path, owners.get(path, ""), "ucf", shipped)


def _if_changed(machine: Machine, path: str, package: str, managed_by: str, shipped: str):
    try:
        content = machine.read_if_there(path, _CONFIG_LIMIT)
    except MachineError:
        return
    if content is None:
        yield ChangedConfig(path, package, managed_by, "")
    elif hashlib.md5(content, usedforsecurity=False).hexdigest() != shipped:
        yield ChangedConfig(path, package, managed_by, hashlib.sha256(content).hexdigest())


def _pairs(machine: Machine, path: str, *, swap: bool):
    content = machine.read_if_there(path, 4_000_000) or b""
    for line in decoded(content).splitlines():
        words = line.split()
        if len(words) == 2 and words[1].startswith("/"):
            yield (words[1], words[0]) if swap else (words[0], words[1])


def _set_aside(machine: Machine) -> tuple[str, ...]:
    endings = DebFamily.set_aside_suffixes
    return tuple(path for path in machine.below("/etc") if path.endswith(endings))


def _tools(packages: tuple[InstalledPackage, ...]) -> dict[str, str]:
    return {
        package.name: package.version
        for pattern in TOOL_PATTERNS
        for package in packages
        if package.is_present and fnmatchcase(package.name, pattern)
    }


def without_texts(facts: Facts) -> Facts:
    """The facts without what a file of records need not keep: the packages' config sums."""
    packages = tuple(msgspec.structs.replace(p, conffiles={}) for p in facts.packages)
    return msgspec.structs.replace(facts, packages=packages)
