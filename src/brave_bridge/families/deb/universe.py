"""The universe of a deb machine, from the files that dpkg and apt keep on it."""

import re
from collections.abc import Iterable, Iterator, Mapping

from brave_bridge.archives.kept_suites import KEPT_SUITES, decode_suites
from brave_bridge.archives.store import store_of
from brave_bridge.core.formats.addresses import parts_of
from brave_bridge.core.formats.apt_conf import read_settings
from brave_bridge.core.formats.apt_preferences import Pin, read_pins
from brave_bridge.core.formats.apt_release import ArchiveRelease, read_archive_release
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.packages.deb_index import DebIndex, index_of
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb import settings
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.own_indices import INDEX_LIMIT, own_indices
from brave_bridge.families.deb.places import ARCHITECTURES, MARKS, STATUS
from brave_bridge.families.deb.policy import Origin, Policy
from brave_bridge.families.deb.system import installed_packages
from brave_bridge.machines.port import Machine, MachineError

_PREFERENCES = ("/etc/apt/preferences", "/etc/apt/preferences.d/*")
_DESCRIPTIONS = ("InRelease", "Release")
_INDEX = re.compile(r"_([^_]+)_binary-[^_]+_Packages$")
_SMALL = 20_000_000
_NATIVE = re.compile(rb"^Package: dpkg\n(?:[^\n]+\n)*?Architecture: (\S+)$", re.MULTILINE)


def universe_of(machine: Machine, lists: str, database: str) -> Universe:
    """What stands in a package database, and what the indices in a folder offer.

    MachineError where the database cannot be read.
    """
    status = machine.files.read(database, INDEX_LIMIT)
    architectures = _architectures(machine, status)
    installed = list(installed_packages(status, _text(machine, MARKS), architectures[0]))
    present = {one.package.slot: one.package for one in installed}
    archive = _archive(machine, lists, architectures, present)
    return Universe(installed, archive, takes_recommended=_takes_recommended(machine))


def _takes_recommended(machine: Machine) -> bool:
    """Whether apt takes what packages recommend, as the machine has it set (apt.conf(5))."""
    texts = (text for _, text in _texts(machine, settings.FILES))
    return settings.takes_recommended(read_settings(texts))


def universe_after(machine: Machine, plan: PackagePlan, universe: Universe, lists: str) -> Universe:
    """The machine as a plan leaves it, with what the indices in another folder offer."""
    archive = _archive(machine, lists, universe.archive.architectures, plan.after)
    return universe.following(plan.after, archive, plan.preferences.add)


def _archive(
    machine: Machine,
    lists: str,
    architectures: tuple[str, ...],
    present: Mapping[str, PackageVersion],
) -> DebArchive:
    native = architectures[0]
    kept = machine.files.read_if_there(f"{lists}/{KEPT_SUITES}", _SMALL)
    indices = list(
        _own_indices(machine, lists, native) if kept is None else _kept(machine, kept, native)
    )
    return DebArchive(indices, Policy(_pins(machine)), architectures, present)


def _own_indices(machine: Machine, lists: str, native: str) -> Iterator[tuple[DebIndex, Origin]]:
    """The indices that the machine's package manager has fetched into a folder."""
    for path, text in own_indices(machine, f"{lists}/*"):
        yield index_of(text, native, path), _origin(machine, path)


def _kept(machine: Machine, kept: bytes, native: str) -> Iterator[tuple[DebIndex, Origin]]:
    """The indices that were fetched apart from the machine's own."""
    store = store_of(machine)
    for index in decode_suites(kept):
        where = f"{index.uri} {index.suite} {index.component}"
        host = parts_of(index.uri).authority
        try:
            read_stanza, table = store.open(index.sha256)
        except OSError as error:
            what = f"opening the indices of {index.suite}"
            raise MachineError(what, machine.name, str(error), "plan again") from error
        origin = origin_from(index.release, index.component, host)
        yield DebIndex(read_stanza, table, native, where), origin


def origin_from(release: ArchiveRelease, component: str, host: str) -> Origin:
    """What pins tell an index of a suite by."""
    return Origin(
        suite=release.suite,
        codename=release.codename,
        version=release.version,
        origin=release.origin,
        label=release.label,
        component=component,
        host=host,
        only_on_request=release.only_on_request,
        upgrades_by_itself=release.upgrades_by_itself,
    )


def architectures_of(machine: Machine) -> tuple[str, ...]:
    """The architectures that a machine takes packages of, its own first."""
    return _architectures(machine, machine.files.read(STATUS, INDEX_LIMIT))


def _texts(machine: Machine, patterns: Iterable[str]) -> Iterator[tuple[str, str]]:
    """The files that match, by pattern and then by path, each with its text."""
    for pattern in patterns:
        for path in sorted(machine.files.matching(pattern)):
            yield path, _text(machine, path)


def _text(machine: Machine, path: str) -> str:
    return (machine.files.read_if_there(path, _SMALL) or b"").decode("utf-8", "replace")


def _architectures(machine: Machine, status: bytes) -> tuple[str, ...]:
    """The architectures that a machine takes packages of, its own first."""
    listed = tuple(_text(machine, ARCHITECTURES).split())
    if listed:
        return listed
    found = _NATIVE.search(status)
    return (found[1].decode("ascii", "replace") if found else "amd64",)


def _pins(machine: Machine) -> list[Pin]:
    return [p for path, text in _texts(machine, _PREFERENCES) for p in read_pins(text, path)]


def _origin(machine: Machine, path: str) -> Origin:
    """What pins tell an index by: the description beside it, and its own name."""
    name = path.rpartition("/")[2]
    match = _INDEX.search(name)
    component = match[1] if match else ""
    stem = path[: len(path) - len(name) + match.start()] if match else path
    host = name.partition("_")[0]
    for ending in _DESCRIPTIONS:
        text = _text(machine, f"{stem}_{ending}")
        try:
            release = read_archive_release(text, where=path)
        except FormatError:
            continue
        return origin_from(release, component, host)
    return Origin(component=component, host=host)
