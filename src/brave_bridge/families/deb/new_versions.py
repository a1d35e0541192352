"""Asking programs of a machine with the versions that a leg brings, unpacked beside the system.

Follows dpkg(1) in what it takes of a package: its files, but for config files that were changed.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from importlib.resources import files
from urllib.parse import quote

from brave_bridge.core.crossing.ahead import BESIDE
from brave_bridge.core.crossing.requests import Run
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.needed import needed_slots
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.places import INFO, STATUS
from brave_bridge.families.deb.universe import universe_of
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Contents, Names

_FETCHED = "/var/cache/apt/archives"
_BINARIES = ("/usr/sbin", "/usr/bin", "/sbin", "/bin")
_LONGEST_LIST = 4_000_000
_UNIT_SEPARATOR = "\x1f"
_MOUNTS = ("unshare", "--mount", "--propagation", "unchanged")
_NAMESPACES = (*_MOUNTS, "--pid", "--fork", "--kill-child")


def with_new_versions(
    machine: Machine,
    lists: str,
    changes: PackageChanges,
    stays: Iterable[str],
    asked: Mapping[str, Sequence[str]],
) -> Run | None:
    """See Packages."""
    owners = _owners(machine, {argv[0] for argv in asked.values()})
    new = {change.name: change.new for change in changes.arriving}
    asked = {name: argv for name, argv in asked.items() if owners.get(argv[0], "") in new}
    if not asked:
        return None
    universe = universe_of(machine, lists, STATUS)
    arriving = {v.slot: v for v in _versions(universe, new)}
    wanted = {owners[argv[0]] for argv in asked.values()}
    unpacked = needed_slots(universe, arriving, _with_parts(arriving, wanted)) & arriving.keys()
    if missing := wanted - unpacked:
        raise LookupError(f"no source has the new version of {', '.join(sorted(missing))}")
    pairs = [
        *(("stays", path) for path in stays),
        *(("gone", change.name) for change in changes.removed),
        *(("deb", _fetched(machine, arriving[slot])) for slot in sorted(unpacked)),
        *(("ask", _UNIT_SEPARATOR.join((name, *argv))) for name, argv in asked.items()),
    ]
    script = files("brave_bridge.data").joinpath("ask_new_versions.sh").read_text(encoding="utf-8")
    words = (word for pair in pairs for word in pair)
    return Run(
        title="Ask the new versions whether they accept the settings",
        argv=(*_NAMESPACES, "/bin/sh", "-c", script, "ask-new-versions", BESIDE, *words),
    )


def _owners(machine: Machine, programs: set[str]) -> dict[str, str]:
    """The packages (as dpkg names them) that have shipped programs, by the program's name."""
    there = machine.files.gather(
        (Names(tuple(f"{folder}/{name}" for folder in _BINARIES for name in programs)),)
    ).found
    names = {path.rpartition("/")[2] for path in there}
    if not names:
        return {}
    lines = tuple(f"bin/{name}".encode() for name in names)
    query = Contents((f"{INFO}/*.list",), limit=_LONGEST_LIST, containing=lines)
    found = {}
    for path, text in machine.files.gather((query,)).texts(f"{INFO}/*.list"):
        for line in text.splitlines():
            folder, _, name = line.rpartition("/")
            if folder in _BINARIES and name in names:
                found[name] = path.rpartition("/")[2].removesuffix(".list").partition(":")[0]
    return found


def _versions(universe: Universe, new: Mapping[str, str]) -> Iterator[PackageVersion]:
    for label, version in new.items():
        for one in universe.archive.candidates(label.partition(":")[0]):
            if one.label == label and one.version == version:
                yield one


def _with_parts(arriving: Mapping[str, PackageVersion], owners: set[str]) -> set[str]:
    """The packages and what is made for them, as modules are: their settings may load them."""
    return owners.intersection(arriving) | {
        slot
        for slot, version in arriving.items()
        for clause in version.needs
        if any(atom.name in owners for atom in clause.atoms)
    }


def _fetched(machine: Machine, version: PackageVersion) -> str:
    """Where apt has put a package file; LookupError where it is not there."""
    stem = f"{version.name}_{quote(version.version, safe='+~').replace('%3A', '%3a')}"
    for architecture in (version.architecture, "all"):
        path = f"{_FETCHED}/{stem}_{architecture}.deb"
        if machine.files.is_file(path):
            return path
    raise LookupError(f"{version.title} is not among what was fetched")
