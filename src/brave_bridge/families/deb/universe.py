"""The universe of a deb machine, from the files that dpkg and apt keep on it."""

import re

from brave_bridge.core.formats.apt_preferences import Pin, read_pins
from brave_bridge.core.formats.apt_release import read_archive_release
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.packages.deb_index import index_of
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.lists import INDEX_LIMIT
from brave_bridge.families.deb.policy import Origin, Policy
from brave_bridge.families.deb.system import installed_packages
from brave_bridge.machines.port import Machine

_MARKS = "/var/lib/apt/extended_states"
_ARCHITECTURES = "/var/lib/dpkg/arch"
_PREFERENCES = ("/etc/apt/preferences", "/etc/apt/preferences.d/*")
_DESCRIPTIONS = ("InRelease", "Release")
_INDEX = re.compile(r"_([^_]+)_binary-[^_]+_Packages$")
_SMALL = 20_000_000
_NATIVE = re.compile(rb"^Package: dpkg\n(?:[^\n]+\n)*?Architecture: (\S+)$", re.MULTILINE)


def universe_of(machine: Machine, lists: str, database: str) -> Universe:
    """What stands in a package database, and what the indices in a folder offer.

    MachineError where the database cannot be read.
    """
    status = machine.read(database, INDEX_LIMIT)
    native, *others = _architectures(machine, status)
    installed = list(installed_packages(status, _text(machine, _MARKS), native))
    indices = [
        (index_of(machine.read(path, INDEX_LIMIT), native, path), _origin(machine, path))
        for path in machine.matching(f"{lists}/*_Packages")
    ]
    present = {one.package.slot: one.package for one in installed}
    policy = Policy(_pins(machine))
    return Universe(installed, DebArchive(indices, policy, (native, *others), present))


def _text(machine: Machine, path: str) -> str:
    return (machine.read_if_there(path, _SMALL) or b"").decode("utf-8", "replace")


def _architectures(machine: Machine, status: bytes) -> list[str]:
    """The architectures that a machine takes packages of, its own first."""
    listed = _text(machine, _ARCHITECTURES).split()
    if listed:
        return listed
    found = _NATIVE.search(status)
    return [found[1].decode("ascii", "replace") if found else "amd64"]


def _pins(machine: Machine) -> list[Pin]:
    paths = [path for pattern in _PREFERENCES for path in sorted(machine.matching(pattern))]
    return [pin for path in paths for pin in read_pins(_text(machine, path), path)]


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
        return Origin(
            suite=release.suite, codename=release.codename, version=release.version,
            origin=release.origin, label=release.label, component=component, host=host,
            only_on_request=release.only_on_request,
            upgrades_by_itself=release.upgrades_by_itself,
        )  # fmt: skip
    return Origin(component=component, host=host)
