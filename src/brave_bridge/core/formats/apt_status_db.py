"""The dpkg database (dpkg(1), deb822(5)) and package indices, as typed records."""

import msgspec

from brave_bridge.core.formats.deb822 import stanzas
from brave_bridge.core.formats.installed_package import InstalledPackage


def read_status(text: str, *, where: str = "") -> list[InstalledPackage]:
    """The packages of a dpkg status file; FormatError where it is damaged."""
    return [_installed(fields) for fields in stanzas(text, where=where) if "Package" in fields]


def _installed(fields: dict[str, str]) -> InstalledPackage:
    want, fault, state = (fields.get("Status", "").split() + ["unknown"] * 3)[:3]
    return InstalledPackage(
        name=fields["Package"],
        version=fields.get("Version", ""),
        architecture=fields.get("Architecture", ""),
        want=want,
        state=state,
        fault=fault,
        essential=fields.get("Essential") == "yes",
        priority=fields.get("Priority", ""),
        section=fields.get("Section", ""),
        installed_kib=_number(fields.get("Installed-Size", "")),
        conffiles=dict(_conffiles(fields.get("Conffiles", ""))),
        depends=", ".join(fields[n] for n in ("Pre-Depends", "Depends") if n in fields),
        provides=fields.get("Provides", ""),
    )


def _conffiles(text: str):
    for line in text.splitlines():
        words = line.split()
        if len(words) >= 2 and "obsolete" not in words[2:] and words[1] != "newconffile":
            yield words[0], words[1]


def _number(text: str) -> int:
    return int(text) if text.isdigit() else 0


class Candidate(msgspec.Struct, frozen=True):
    """A version of a package that an archive offers. Sizes: bytes to download, KiB on disk."""

    name: str
    version: str
    architecture: str
    download_bytes: int
    installed_kib: int
    section: str
    relations: dict[str, str]
    """Field name (``Depends``, ``Breaks``, ...) to its text."""
    stanza: str = ""
    """The whole stanza as the index has it."""


RELATIONS = ("Pre-Depends", "Depends", "Recommends", "Breaks", "Conflicts", "Replaces", "Provides")


def candidate(fields: dict[str, str], stanza: str = "") -> Candidate:
    """The candidate that a stanza of a package index describes."""
    return Candidate(
        stanza=stanza,
        name=fields.get("Package", ""),
        version=fields.get("Version", ""),
        architecture=fields.get("Architecture", ""),
        download_bytes=_number(fields.get("Size", "")),
        installed_kib=_number(fields.get("Installed-Size", "")),
        section=fields.get("Section", ""),
        relations={name: fields[name] for name in RELATIONS if name in fields},
    )


def relation_names(text: str) -> list[str]:
    """The package names in a relation field, alternatives included, in order (deb-control(5))."""
    names = []
    for clause in text.replace("|", ",").split(","):
        name = clause.split("(")[0].split("[")[0].strip().partition(":")[0]
        if name:
            names.append(name)
    return names
