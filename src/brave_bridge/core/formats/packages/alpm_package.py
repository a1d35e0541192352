"""Packages of alpm's databases: ``desc`` files of sync and local databases (alpm-db-desc(5))."""

import re
from collections.abc import Iterable

from brave_bridge.core.formats.alpm_database import read_blocks
from brave_bridge.core.formats.text import plain, whole_number
from brave_bridge.core.packages.package_version import Details, PackageVersion, Relations
from brave_bridge.core.packages.relation import Atom, Clause, Provided
from brave_bridge.core.versions.alpm import version_key

_ATOM = re.compile(r"([^\s<>=:]+)(?:(<=|>=|<|>|=)(\S+?))?(?::\s.*)?\Z")


def alpm_package(text: str, suite: str = "") -> PackageVersion | None:
    """The version that a desc file describes; None where it describes none."""
    fields = read_blocks(text)

    def one(key: str) -> str:
        lines = fields.get(key)
        return lines[0] if lines else ""

    name, version = one("NAME"), one("VERSION")
    if not name or not version or not (name + version).isprintable():
        return None
    said = Relations(
        needs=tuple(
            Clause((atom,), word)
            for word in fields.get("DEPENDS", ())
            if (atom := _atom(word)) is not None
        ),
        against=_atoms(fields.get("CONFLICTS", ())),
        replaces=_atoms(fields.get("REPLACES", ()), by_name=True),
    )
    details = Details(
        section=plain(one("GROUPS")),
        download_bytes=whole_number(one("CSIZE")),
        disk_bytes=whole_number(one("ISIZE") or one("SIZE")),
        path=plain(one("FILENAME")),
        sha256=one("SHA256SUM"),
    )
    return PackageVersion(
        name=name,
        architecture=one("ARCH"),
        version=version,
        key=version_key(version),
        slot=name,
        read_relations=lambda: said,
        read_details=lambda: details,
        provides=tuple(
            Provided(atom.name, atom.key if atom.operator == "=" else None)
            for atom in _atoms(fields.get("PROVIDES", ()))
        ),
        together=True,
        suite=suite,
    )


def came_with_others(text: str) -> bool:
    """Whether a local database's desc file says that nobody asked for the package."""
    return read_blocks(text).get("REASON") == ["1"]


def _atom(text: str, *, by_name: bool = False) -> Atom | None:
    match = _ATOM.match(text)
    if match is None:
        return None
    name, operator, version = match.groups()
    if not operator:
        return Atom(name, by_name=by_name)
    return Atom(name, operator, version_key(version), version=version, by_name=by_name)


def _atoms(words: Iterable[str], *, by_name: bool = False) -> tuple[Atom, ...]:
    found = (_atom(word, by_name=by_name) for word in words)
    return tuple(atom for atom in found if atom is not None)
