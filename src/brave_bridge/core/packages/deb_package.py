"""Package stanzas of deb archives and of dpkg's database (deb-control(5)) as package versions."""

import re
from functools import lru_cache

from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.packages.relation import Atom, Clause, Provided
from brave_bridge.core.versions.deb import version_key

_FIELD_NAMES = (
    b"Package Version Architecture Depends Pre-Depends Recommends Conflicts Breaks Provides "
    b"Replaces Multi-Arch Essential Protected Important Priority Section Source Size "
    b"Installed-Size Filename SHA256 Status"
).split()
_FIELD = re.compile(
    rb"^(" + b"|".join(re.escape(name) for name in _FIELD_NAMES) + rb"):[ \t]*(.*(?:\n[ \t].*)*)",
    re.MULTILINE,
)
_ATOM = re.compile(
    r"\s*([a-zA-Z0-9][a-zA-Z0-9.+_-]*)(?::([a-z0-9-]+))?"
    r"\s*(?:\(\s*(<<|<=|=|>=|>>|<|>)\s*([^\s)]+)\s*\))?\s*(?:\[[^\]]*\])?\s*$"
)
_OPERATORS = {"<<": "<", ">>": ">", "<": "<=", ">": ">="}
_NAME = re.compile(r"[a-z0-9A-Z][a-zA-Z0-9.+_-]*")
ALL = "all"


class BadStanza(ValueError):
    """A stanza that describes no package; the message says what was seen."""


def fields_of(stanza: bytes) -> dict[bytes, str]:
    """The fields of a stanza that planning needs."""
    return {name: text.decode("utf-8", "replace") for name, text in _FIELD.findall(stanza)}


def package_version(stanza: bytes, native: str, suite: str = "") -> PackageVersion:
    """The version that a stanza describes; BadStanza where it describes none.

    Packages for all architectures are of the ``native`` one, as apt and dpkg see them.
    """
    fields = fields_of(stanza)
    name, version = fields.get(b"Package", ""), fields.get(b"Version", "")
    if not _NAME.fullmatch(name) or not version or not version.isprintable() or " " in version:
        raise BadStanza(f"no package: {plain(name[:60])!r} {plain(version[:60])!r}")
    own = fields.get(b"Architecture", ALL)
    architecture = native if own == ALL else own
    multi_arch = fields.get(b"Multi-Arch", "")
    return PackageVersion(
        name=name,
        architecture=architecture,
        version=version,
        key=version_key(version),
        slot=name if architecture == native else f"{name}:{architecture}",
        needs=clauses(fields.get(b"Pre-Depends", "")) + clauses(fields.get(b"Depends", "")),
        wishes=clauses(fields.get(b"Recommends", "")),
        against=atoms(fields.get(b"Conflicts", "")) + atoms(fields.get(b"Breaks", "")),
        provides=_provided(fields.get(b"Provides", "")),
        replaces=atoms(fields.get(b"Replaces", "")),
        together=multi_arch == "same",
        foreign=multi_arch == "foreign",
        allowed=multi_arch == "allowed",
        essential="yes" in (
            fields.get(b"Essential"), fields.get(b"Protected"), fields.get(b"Important"),
        ),
        weight=fields.get(b"Priority", "optional"),
        section=plain(fields.get(b"Section", "")),
        source=plain(fields.get(b"Source", "").partition(" ")[0]) or name,
        download_bytes=_number(fields.get(b"Size", "")),
        disk_bytes=_number(fields.get(b"Installed-Size", "")) * 1024,
        suite=suite,
        path=plain(fields.get(b"Filename", "")),
        sha256=fields.get(b"SHA256", ""),
    )  # fmt: skip


def _number(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 19 else 0


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


def _provided(text: str) -> tuple[Provided, ...]:
    return tuple(
        Provided(atom.name, atom.key if atom.operator == "=" else None) for atom in atoms(text)
    )
