"""What a deb machine's package database, sources and config files tell, in two rounds."""

import re
from collections.abc import Iterator
from email.utils import parsedate_to_datetime
from fnmatch import translate

import msgspec

from brave_bridge.core.formats.apt_conf import settings_in_files
from brave_bridge.core.formats.apt_preferences import read_pins
from brave_bridge.core.formats.apt_release import read_archive_release
from brave_bridge.core.formats.apt_sources import (
    SourceEntry,
    SourceFile,
    entries,
    index_stem,
    key_paths,
)
from brave_bridge.core.formats.apt_status_db import read_status
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.distro_info import read_release_dates
from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.package_logs import read_dpkg_versions
from brave_bridge.core.formats.text import counted, decoded, iso_time
from brave_bridge.core.packages.updates import Offer
from brave_bridge.core.survey.facts import (
    ArchiveSeen,
    ChangedConfig,
    Evidence,
    Facts,
    ReleaseSeen,
)
from brave_bridge.families.deb import kernels, settings
from brave_bridge.families.deb.clusters import with_needs
from brave_bridge.families.deb.keys import LARGEST_KEYS, key_file
from brave_bridge.families.deb.overrides import GROUPS, OVERRIDES, USERS, unknown_owners
from brave_bridge.families.deb.places import INFO, LISTS, SET_ASIDE, STATUS
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Below, Contents, Names, Query, Seen, Stanzas, Sums

_STATUS_LIMIT = 100_000_000
_UCF_HASHES = "/var/lib/ucf/hashfile"
_UCF_REGISTRY = "/var/lib/ucf/registry"
_SOURCE_FILES = (
    "/etc/apt/sources.list",
    "/etc/apt/sources.list.d/*.list",
    "/etc/apt/sources.list.d/*.sources",
)
_KEY_FILES = (
    "/etc/apt/trusted.gpg",
    "/etc/apt/trusted.gpg.d/*",
    "/usr/share/keyrings/*",
    "/etc/apt/keyrings/*",
)
_WILD = re.compile(r"[*?\[]")
_MOST_KEYS = 50
_SHARED_KEYS = _KEY_FILES[:2]
_PREFERENCES = ("/etc/apt/preferences", "/etc/apt/preferences.d/*")
_LOGS = ("/var/log/dpkg.log", "/var/log/dpkg.log.*")
DATES_TABLES = {
    "debian": "/usr/share/distro-info/debian.csv",
    "ubuntu": "/usr/share/distro-info/ubuntu.csv",
}
_RELEASE_PACKAGES = ("base-files", "quay-base")
"""The packages whose version tells the release."""

_DESCRIPTION_BYTES = 16 * 1024
"""What is read of an archive's description: who it is and when it was written stand first."""

SOURCES_QUERY = Contents(_SOURCE_FILES, 1_000_000)
QUERIES: tuple[Query, ...] = (
    Contents((STATUS,), _STATUS_LIMIT),
    SOURCES_QUERY,
    Contents(_PREFERENCES, 256 * 1024),
    Contents((OVERRIDES, USERS, GROUPS), 4_000_000),
    Contents(settings.ALL_FILES, 256 * 1024),
    Contents((_UCF_HASHES, _UCF_REGISTRY), 4_000_000),
    Contents((f"{LISTS}/*_InRelease", f"{LISTS}/*_Release"), _DESCRIPTION_BYTES, cut=True),
    Contents(_LOGS, 1_000_000, containing=tuple(f" {n}".encode() for n in _RELEASE_PACKAGES)),
    Contents(tuple(DATES_TABLES.values()), 256 * 1024),
    Names((*_KEY_FILES, f"{LISTS}/*_Packages*", f"{INFO}/*.list")),
    *kernels.FIRST_QUERIES,
    Below(("/etc",), SET_ASIDE),
)

TOOL_PATTERNS = (
    "libc6",
    "quay-libc",
    "apt",
    "dpkg",
    "systemd",
    "linux-image-*",
    "openssh-server",
    "openssl",
    "nginx",
    "nginx-core",
    "nginx-light",
    "apache2",
    "postgresql",
    "postgresql-[0-9]*",
    "mariadb-server",
    "python3",
    "perl",
    "php",
    "cron",
    "rsyslog",
    "logrotate",
    "quay-linux",
    "quay-webd",
    "quay-tidebase",
    "quay-ssh",
)
"""The packages whose versions a person asks for first."""


class DebRound(msgspec.Struct, frozen=True):
    """What the first round has told, from which the second asks on."""

    packages: tuple[InstalledPackage, ...]
    ucf_sums: tuple[tuple[str, str], ...]
    ucf_owners: dict[str, str]
    source_files: tuple[SourceFile, ...]
    sources: tuple[SourceEntry, ...]
    named_keys: tuple[str, ...]
    """The key files that sources name, wherever they are."""
    of_kernels: tuple[InstalledPackage, ...] = ()
    """The packages that may be of a kernel, and what is asked of them."""
    kernel_queries: tuple[Query, ...] = ()


def first_round(machine: str, seen: Seen) -> DebRound:
    """The package database; MachineError where it is missing or damaged."""
    files = _source_files(seen)
    sources = tuple(entry for file in files for entry in entries(file))
    packages = packages_in(seen, machine)
    of_kernels = kernels.candidates(kernels.kernels_found(seen), packages)
    return DebRound(
        packages=packages,
        ucf_sums=tuple((words[1], words[0]) for words in _pairs(seen, _UCF_HASHES)),
        ucf_owners={words[1]: words[0] for words in _pairs(seen, _UCF_REGISTRY)},
        source_files=files,
        sources=sources,
        named_keys=tuple({path: None for entry in sources for path in key_paths(entry)}),
        of_kernels=of_kernels,
        kernel_queries=kernels.queries(seen, of_kernels),
    )


def further(known: DebRound) -> tuple[Query, ...]:
    """The sums of the config files, and what the indices have of the installed packages."""
    paths = {
        path: None for package in known.packages if package.is_present for path in package.conffiles
    }
    paths.update({path: None for path, _ in known.ucf_sums})
    names = frozenset(package.name for package in known.packages if package.is_present)
    return (
        Sums(tuple(paths)),
        Names(known.named_keys),
        Contents((*_plain_paths(known.named_keys), *_SHARED_KEYS), LARGEST_KEYS),
        Stanzas((f"{LISTS}/*_Packages*",), names, ("Package", "Version", "Size")),
        *known.kernel_queries,
    )


def _plain_paths(paths: tuple[str, ...]) -> tuple[str, ...]:
    """Paths that a tree's own files name: each one file, and no more of them than anybody has."""
    return tuple(path for path in paths if not _WILD.search(path))[:_MOST_KEYS]


def deb_facts(machine: Machine, seen: Seen, known: DebRound, basic: Facts) -> Facts:
    """The basic facts and all that the package database, sources and config files tell."""
    sources = known.sources
    archives = tuple(_archives(seen, sources))
    configs = tuple(_changed_configs(seen, known))
    aside = tuple(seen.below.get("/etc", ()))
    offers = tuple(_offers(seen, archives))
    history = _history(seen)
    told = settings_in_files(f for path in settings.FILES for f in seen.texts(path)).values()
    table = DATES_TABLES.get(basic.identity.os_id, "")
    return msgspec.structs.replace(
        basic,
        packages=known.packages,
        clusters=tuple(with_needs(cluster, known.packages) for cluster in basic.clusters),
        source_files=known.source_files,
        sources=sources,
        archives=archives,
        changed_configs=configs,
        set_aside=aside,
        offers=offers,
        pins=tuple(
            pin
            for path in (_PREFERENCES[0], f"{_PREFERENCES[0]}.d/*")
            for name, text in seen.texts(path)
            for pin in read_pins(text, name)
        ),
        unlisted=tuple(_unlisted(seen, known.packages)),
        unknown_owners=tuple(_unknown_owners(seen)),
        settings_against=tuple(settings.settings_against(told)),
        preferred_release=settings.preferred_release(told),
        settings_naming=tuple(
            settings.settings_naming(
                basic.identity.codename, (f for one in settings.ALL_FILES for f in seen.texts(one))
            )
        ),
        key_files=tuple(key_file(f, seen.contents.get(f.path)) for f in _key_files(seen, known)),
        history=history,
        kernel_packages=tuple(kernels.kernel_packages(seen, known.of_kernels)),
        release_dates=tuple(read_release_dates(seen.text(table) or "")),
        tools=_tools(known.packages),
        evidence=(
            *basic.evidence,
            Evidence("packages", STATUS, f"{len(known.packages)} entries"),
            Evidence(
                "sources",
                ", ".join(_SOURCE_FILES[:1]) + ", /etc/apt/sources.list.d",
                f"{len(sources)} active",
            ),
            Evidence(
                "configs", f"MD5 sums in {STATUS} and {_UCF_HASHES}", f"{len(configs)} differ"
            ),
            Evidence("set-aside", "/etc", f"{len(aside)} files"),
            _indices_evidence(seen, archives, offers),
            Evidence(
                "dates",
                table,
                counted(len(seen.text(table) or ""), "character"),
                absent="" if table in seen.contents else "the machine has no such table",
            ),
            Evidence(
                "history",
                _LOGS[0],
                counted(len(history), "release"),
                absent="" if history else "no log tells of an earlier release",
            ),
        ),
    )


def packages_in(seen: Seen, machine: str) -> tuple[InstalledPackage, ...]:
    """The packages of the database that was seen; MachineError where it is unusable."""
    attempted = "reading the package database"
    content = seen.contents.get(STATUS)
    if content is None:
        why = seen.faults.get(STATUS, "No such file or directory")
        raise MachineError(attempted, machine, f"{STATUS}: {why}")
    try:
        packages = tuple(read_status(content.decode("utf-8"), where=STATUS))
    except (FormatError, UnicodeDecodeError) as error:
        raise MachineError(
            attempted,
            machine,
            f"{STATUS} is damaged: {error}",
            "a copy of the day before is /var/backups/dpkg.status.0 or /var/lib/dpkg/status-old",
        ) from error
    if not packages:
        raise MachineError(attempted, machine, f"{STATUS} names no package")
    return tuple(_with_time(seen, package) for package in packages)


def _with_time(seen: Seen, package: InstalledPackage) -> InstalledPackage:
    """The package with when its list of files was written, which every installation does."""
    for name in (package.name, f"{package.name}:{package.architecture}"):
        found = seen.found.get(f"{INFO}/{name}.list")
        if found is not None:
            return msgspec.structs.replace(package, installed_at=iso_time(found.modified))
    return package


def read_source_files(machine: Machine) -> tuple[SourceFile, ...]:
    """All source files that apt reads, in its order (sources.list(5))."""
    return _source_files(machine.files.gather((SOURCES_QUERY,)))


def _source_files(seen: Seen) -> tuple[SourceFile, ...]:
    return tuple(
        SourceFile(path, hide(text))
        for pattern in _SOURCE_FILES
        for path, text in seen.texts(pattern)
    )


def _key_files(seen: Seen, known: DebRound):
    patterns = (*_KEY_FILES, *known.named_keys)
    found = {f.path: f for pattern in patterns for f in seen.paths(pattern)}
    return [f for f in found.values() if f.kind in ("file", "link")]


def _unlisted(seen: Seen, packages: tuple[InstalledPackage, ...]) -> Iterator[str]:
    """The packages whose list of files is gone, where there are such lists at all."""
    if any(path.startswith(f"{INFO}/") for path in seen.found):
        yield from (p.name for p in packages if p.is_present and not p.installed_at)


def _unknown_owners(seen: Seen) -> Iterator[str]:
    users, groups = seen.text(USERS), seen.text(GROUPS)
    if users and groups:
        yield from unknown_owners(seen.text(OVERRIDES) or "", users, groups)


def _archives(seen: Seen, sources: tuple[SourceEntry, ...]):
    asked = set()
    for entry in sources:
        for uri in entry.uris:
            for suite in entry.suites:
                key = (uri.rstrip("/"), suite)
                if key in asked or suite.endswith("/"):
                    continue
                asked.add(key)
                archive = _archive(seen, *key)
                if archive:
                    yield archive


def _archive(seen: Seen, uri: str, suite: str) -> ArchiveSeen | None:
    stem = f"{LISTS}/{index_stem(uri, suite)}"
    for path in (stem + "InRelease", stem + "Release"):
        content = seen.contents.get(path)
        if content is None:
            continue
        # Where only the beginning was read, its last line may be half a line.
        is_cut = len(content) >= _DESCRIPTION_BYTES
        known = content.rpartition(b"\n")[0] if is_cut else content
        try:
            release = read_archive_release(decoded(known), where=path)
        except FormatError:
            continue
        return ArchiveSeen(
            uri=uri,
            suite=suite,
            origin=release.origin,
            codename=release.codename,
            version=release.version,
            date=release.date,
            # Stronger sums stand behind the weaker ones: a cut description does not tell.
            digests=() if is_cut else release.digests,
            valid_until=release.valid_until,
            only_on_request=release.only_on_request,
        )
    return None


def _changed_configs(seen: Seen, known: DebRound):
    for package in known.packages:
        if package.is_present:
            for path, shipped in package.conffiles.items():
                yield from _if_changed(seen, path, package.name, "dpkg", shipped)
    for path, shipped in known.ucf_sums:
        yield from _if_changed(seen, path, known.ucf_owners.get(path, ""), "ucf", shipped)


def _if_changed(seen: Seen, path: str, package: str, managed_by: str, shipped: str):
    if path in seen.faults:
        return
    md5, sha256 = seen.sums.get(path, ("", ""))
    if md5 != shipped:
        yield ChangedConfig(path, package, managed_by, sha256)


def _pairs(seen: Seen, path: str):
    for line in (seen.text(path) or "").splitlines():
        words = line.split()
        if len(words) == 2 and words[1].startswith("/"):
            yield words


def _offers(seen: Seen, archives: tuple[ArchiveSeen, ...]):
    """What the indices have of the installed packages, with the suite that each index is of."""
    stems = {index_stem(a.uri, a.suite): a for a in archives}
    of_index: dict[str, ArchiveSeen | None] = {}
    for stanza in seen.stanzas:
        if stanza.path not in of_index:
            name = stanza.path.rpartition("/")[2]
            of_index[stanza.path] = next((a for s, a in stems.items() if name.startswith(s)), None)
        archive = of_index[stanza.path]
        if archive is not None:
            size = stanza.fields.get("Size", "")
            yield Offer(
                name=stanza.fields.get("Package", ""),
                version=stanza.fields.get("Version", ""),
                suite=archive.suite,
                origin=archive.origin,
                download_bytes=int(size) if size.isdigit() else 0,
            )


def _indices_evidence(
    seen: Seen, archives: tuple[ArchiveSeen, ...], offers: tuple[Offer, ...]
) -> Evidence:
    indices = seen.paths(f"{LISTS}/*_Packages*")
    if offers:
        absent = ""
    elif fault := next((seen.faults[i.path] for i in indices if i.path in seen.faults), ""):
        absent = f"an index cannot be read: {fault}"
    else:
        absent = "no index of the sources has been fetched"
    days = [day for archive in archives if (day := _iso(archive.date))]
    return Evidence(
        "indices", LISTS, counted(len(indices), "index", "indices"), absent, max(days, default="")
    )


def _iso(date: str) -> str:
    try:
        return parsedate_to_datetime(date).isoformat()
    except (ValueError, TypeError):
        return ""


def _history(seen: Seen) -> tuple[ReleaseSeen, ...]:
    """The days on which the package that tells the release came in another major version."""
    found: list[ReleaseSeen] = []
    versions = sorted(
        row
        for pattern in _LOGS
        for _, text in seen.texts(pattern)
        for package in _RELEASE_PACKAGES
        for row in read_dpkg_versions(text, package)
    )
    for day, version in versions:
        release = version.split("+")[0].split("-")[0]
        if not found or found[-1].version != release:
            found.append(ReleaseSeen(day, release))
    return tuple(found)


_TOOL = re.compile("|".join(translate(pattern) for pattern in TOOL_PATTERNS))


def _tools(packages: tuple[InstalledPackage, ...]) -> dict[str, str]:
    return {p.name: p.version for p in packages if p.is_present and _TOOL.match(p.name)}


class DebReading:
    """See Reading."""

    queries = QUERIES

    def begin(self, machine: str, seen: Seen) -> DebRound:
        """See Reading."""
        return first_round(machine, seen)

    def further(self, known: DebRound) -> tuple[Query, ...]:
        """See Reading."""
        return further(known)

    def facts(self, machine: Machine, seen: Seen, known: DebRound, basic: Facts) -> Facts:
        """See Reading."""
        return deb_facts(machine, seen, known, basic)
