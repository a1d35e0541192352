"""The deed of fetching suites: into the person's own store, nothing into a machine's state."""

from collections.abc import Iterator

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.kept_suites import KEPT_SUITES, KeptIndex, encode_suites
from brave_bridge.archives.opening import downloader_of
from brave_bridge.archives.store import store_of
from brave_bridge.archives.suites import SuiteAsked, SuiteFetched, SuiteFetcher
from brave_bridge.core.crossing.replies import (
    Failed,
    PackagesFetched,
    Reply,
    SuiteFound,
    SuitesFetched,
)
from brave_bridge.core.crossing.requests import FetchPackages, FetchSuites, SuiteWanted
from brave_bridge.core.formats.text import plain
from brave_bridge.families.family import Packages
from brave_bridge.machines.port import Machine
from brave_bridge.runner.performing.ways_back import Report

_KEY_LIMIT = 4_000_000
_UNUSED_DAYS = 60


def fetch_suites(
    machine: Machine,
    packages: Packages,
    keys: tuple[str, ...],
    request: FetchSuites,
    report: Report,
) -> Reply:
    """Fetch every suite, or say of each why it could not be; what came is named for planning."""
    store = store_of(machine)
    with downloader_of(machine) as downloader:
        fetcher = SuiteFetcher(store, downloader)
        asked = [_asked(machine, packages, keys, wanted) for wanted in request.suites]
        outcomes = fetcher.fetch(asked, lambda words: report(0.0, words, ""))
        meter = downloader.meter
    store.let_go(_UNUSED_DAYS)
    indices = [index for outcome in outcomes for index in _indices(outcome)]
    machine.files.write(f"{request.folder}/{KEPT_SUITES}", encode_suites(indices), 0o600)
    found = tuple(map(_found, request.suites, outcomes))
    return SuitesFetched(found, meter.received, meter.seconds)


def fetch_packages(machine: Machine, packages: Packages, request: FetchPackages) -> Reply:
    """Fetch package files onto the machine, each held against the sum that its index gives."""
    paths = []
    for name, version in request.packages:
        try:
            file, content = packages.package_file(machine, request.lists, name, version)
        except ArchiveFault as fault:
            return Failed(f"fetching {name} {version}", plain(str(fault)))
        machine.files.write(f"{request.folder}/{file}", content)
        paths.append(f"{request.folder}/{file}")
    return PackagesFetched(tuple(paths))


def _asked(
    machine: Machine, packages: Packages, keys: tuple[str, ...], wanted: SuiteWanted
) -> SuiteAsked:
    architectures = wanted.architectures or packages.architectures(machine)
    return SuiteAsked(
        uri=wanted.uri,
        suite=wanted.suite,
        components=wanted.components,
        architectures=architectures,
        keyrings=() if wanted.trusted else tuple(_keyrings(machine, keys, wanted)),
        trusted=wanted.trusted,
    )


def _keyrings(machine: Machine, keys: tuple[str, ...], wanted: SuiteWanted) -> Iterator[bytes]:
    """The keys that a source may be signed by: its own, or those that hold for all."""
    if wanted.key_text:
        yield wanted.key_text.encode()
        return
    patterns = wanted.key_files or keys
    for path in (path for pattern in patterns for path in machine.files.matching(pattern)):
        content = machine.files.read_if_there(path, _KEY_LIMIT)
        if content:
            yield content


def _indices(outcome: SuiteFetched | ArchiveFault) -> list[KeptIndex]:
    if isinstance(outcome, ArchiveFault):
        return []
    asked = outcome.asked
    return [
        KeptIndex(asked.uri, asked.suite, component, architecture, sha256, outcome.release)
        for (component, architecture), sha256 in outcome.indices.items()
    ]


def _found(wanted: SuiteWanted, outcome: SuiteFetched | ArchiveFault) -> SuiteFound:
    if isinstance(outcome, ArchiveFault):
        return SuiteFound(
            uri=wanted.uri,
            suite=wanted.suite,
            missing=outcome.what == "missing",
            fault=plain(str(outcome), 400),
        )
    release = outcome.release
    return SuiteFound(
        uri=wanted.uri,
        suite=wanted.suite,
        origin=plain(release.origin, 100),
        signers=outcome.signers,
        codename=plain(release.codename, 100),
        own_suite=plain(release.suite, 100),
    )
