"""Installed rpm packages with all that they say of others, from the headers of the database.

Tags and flags are those of rpm's format documentation ("Tags", "Dependency flags").
"""

from collections.abc import Iterator

from brave_bridge.core.formats.packages.repodata import rpm_package
from brave_bridge.core.formats.rpm_database import read_headers
from brave_bridge.core.packages.package_version import Details, PackageVersion

_NAME, _VERSION, _RELEASE, _EPOCH, _SIZE, _GROUP, _ARCH = 1000, 1001, 1002, 1003, 1009, 1016, 1022
_DIR_INDEXES, _BASENAMES, _DIR_NAMES = 1116, 1117, 1118
_RELATIONS = {
    "provides": (1047, 1112, 1113),
    "requires": (1049, 1048, 1050),
    "conflicts": (1054, 1053, 1055),
    "obsoletes": (1090, 1114, 1115),
    "recommends": (5046, 5048, 5047),
}
"""The tags of names, flags and versions."""

_WANTED = frozenset(
    (
        _NAME,
        _VERSION,
        _RELEASE,
        _EPOCH,
        _SIZE,
        _GROUP,
        _ARCH,
        _DIR_INDEXES,
        _BASENAMES,
        _DIR_NAMES,
        *(tag for tags in _RELATIONS.values() for tag in tags),
    )
)
_FLAGS = {0: "", 2: "LT", 4: "GT", 8: "EQ", 10: "LE", 12: "GE"}
_COMPARES = 14


def read_installed(
    content: bytes, install_only: frozenset[str], *, where: str = ""
) -> Iterator[PackageVersion]:
    """The packages of an ``rpmdb.sqlite`` file; FormatError where it is damaged."""
    for values in read_headers(content, _WANTED, where=where):
        yield _package(values, install_only)


def _package(values: dict[int, list], install_only: frozenset[str]) -> PackageVersion:
    def first(tag: int, default=""):
        found = values.get(tag)
        return found[0] if found else default

    relations = {
        kind: list(_entries(*(values.get(tag, []) for tag in tags)))
        for kind, tags in _RELATIONS.items()
    }
    name = first(_NAME)
    return rpm_package(
        name,
        f"{first(_EPOCH, 0)}:{first(_VERSION)}-{first(_RELEASE)}",
        first(_ARCH),
        relations,
        list(_files(values)),
        Details(section=first(_GROUP), disk_bytes=first(_SIZE, 0)),
        install_only=name in install_only
        or any("installonlypkg" in entry["name"] for entry in relations["provides"]),
    )


def _entries(names: list[str], flags: list[int], versions: list[str]) -> Iterator[dict[str, str]]:
    for name, flag, version in zip(names, flags, versions, strict=False):
        entry = {"name": name, "flags": _FLAGS.get(flag & _COMPARES, "")}
        epoch, _, rest = version.rpartition(":")
        number, dash, release = rest.rpartition("-")
        entry |= {"epoch": epoch, "ver": number if dash else rest, "rel": release if dash else ""}
        yield entry


def _files(values: dict[int, list]) -> Iterator[str]:
    folders = values.get(_DIR_NAMES, [])
    names = zip(values.get(_BASENAMES, []), values.get(_DIR_INDEXES, []), strict=False)
    for name, index in names:
        if index < len(folders):
            yield folders[index] + name
