"""Package stanzas of deb archives and of dpkg's database (deb-control(5)) as package versions."""

import re
from functools import lru_cache, partial

from brave_bridge.core.formats.text import plain, whole_number
from brave_bridge.core.packages.package_version import Details, PackageVersion, Relations
from brave_bridge.core.packages.relation import Atom, Clause, Provided
from brave_bridge.core.versions.deb import version_key


def _pattern(names: str) -> re.Pattern[bytes]:
    """Finds the fields of these names in a stanza, with their continuation lines."""
    either = b"|".join(re.escape(name) for name in names.encode().split())
    return re.compile(rb"\n(" + either + rb"):[ \t]*([^\n]*(?:\n[ \t][^\n]*)*)")


_WHAT_IT_IS = _pattern(
    "Package Version Architecture Provides Multi-Arch Essential Protected Important Priority Status"
)
_RELATIONS = _pattern("Depends Pre-Depends Recommends Conflicts Breaks Replaces")
_DETAILS = _pattern("Section Source Size Installed-Size Filename SHA256")
_ATOM = re.compile(
    r"\s*([a-zA-Z0-9][a-zA-Z0-9.+_-]*)(?::([a-z0-9-]+))?"
    r"\s*(?:\(\s*(<<|<=|=|>=|>>|<|>)\s*([^\s)]+)\s*\))?\s*(?:\[[^\]]*\])?\s*$"
)
_OPERATORS = {"<<": "<", ">>": ">", "<": "<=", ">": ">="}
_NAME = re.compile(r"[a-z0-9A-Z][a-zA-Z0-9.+_-]*")
ALL = "all"


class BadStanza(ValueError):
    """A stanza that describes no package; the message says what was seen."""


def _fields(pattern: re.Pattern[bytes], stanza: bytes) -> dict[bytes, str]:
    return {name: text.decode("utf-8", "replace") for name, text in pattern.findall(stanza)}


def package_version(stanza: bytes, native: str, suite: str = "") -> tuple[PackageVersion, str]:
    """The version that a stanza describes, and its ``Status`` where it is installed.

    The stanza begins with a line end. BadStanza where it describes no package. Packages for
    all architectures are of the ``native`` one, as apt and dpkg see them.
    """
    fields = _fields(_WHAT_IT_IS, stanza)
    name, version = fields.get(b"Package", ""), fields.get(b"Version", "")
    if not _NAME.fullmatch(name) or not version or not version.isprintable() or " " in version:
        raise BadStanza(f"no package: {plain(name[:60])!r} {plain(version[:60])!r}")
    own = fields.get(b"Architecture", ALL)
    architecture = native if own == ALL else own
    multi_arch = fields.get(b"Multi-Arch")
    found = PackageVersion(
        name=name,
        architecture=architecture,
        version=version,
        key=version_key(version),
        slot=name if architecture == native else f"{name}:{architecture}",
        read_relations=partial(_relations, stanza),
        read_details=partial(_details, stanza, name),
        provides=provided(fields[b"Provides"]) if b"Provides" in fields else (),
        together=multi_arch == "same",
        foreign=multi_arch == "foreign",
        allowed=multi_arch == "allowed",
        essential="yes"
        in (
            fields.get(b"Essential"),
            fields.get(b"Protected"),
            fields.get(b"Important"),
        ),
        weight=fields.get(b"Priority", "optional"),
        suite=suite,
    )
    return found, fields.get(b"Status", "")


def _relations(stanza: bytes) -> Relations:
    fields = _fields(_RELATIONS, stanza)
    return Relations(
        needs=clauses(fields.get(b"Pre-Depends", "")) + clauses(fields.get(b"Depends", "")),
        recommends=clauses(fields.get(b"Recommends", "")),
        against=atoms(fields.get(b"Conflicts", "")) + atoms(fields.get(b"Breaks", "")),
        replaces=atoms(fields.get(b"Replaces", "")),
    )


def _details(stanza: bytes, name: str) -> Details:
    fields = _fields(_DETAILS, stanza)
    return Details(
        section=plain(fields.get(b"Section", "")),
        source=plain(fields.get(b"Source", "").partition(" ")[0]) or name,
        download_bytes=whole_number(fields.get(b"Size", "")),
        disk_bytes=whole_number(fields.get(b"Installed-Size", "")) * 1024,
        path=plain(fields.get(b"Filename", "")),
        sha256=fields.get(b"SHA256", ""),
    )


@lru_cache(maxsize=1 << 16)
def _clause(text: str) -> Clause:
    alternatives = tuple(atom for part in text.split("|") if (atom := _atom(part)))
    return Clause(alternatives, " ".join(text.split()))


@lru_cache(maxsize=1 << 16)
def _atom(text: str) -> Atom | None:
    match = _ATOM.match(text)
    if match is None:
        return None
    name, architecture, operator, version = match.groups()
    if not operator:
        return Atom(name, architecture=architecture or "")
    operator = _OPERATORS.get(operator, operator)
    return Atom(name, operator, version_key(version), architecture or "", version)


def clauses(text: str) -> tuple[Clause, ...]:
    """The clauses of a Depends-like field; what cannot be read can never be met."""
    return tuple(_clause(part) for part in text.split(",") if part.strip()) if text else ()


def atoms(text: str) -> tuple[Atom, ...]:
    """The names of a Conflicts-like field; what cannot be read is against nothing."""
    if not text:
        return ()
    return tuple(atom for part in text.split(",") if (atom := _atom(part)))


def provided(text: str) -> tuple[Provided, ...]:
    """The names of a Provides field."""
    return tuple(
        Provided(atom.name, atom.key if atom.operator == "=" else None) for atom in atoms(text)
    )
