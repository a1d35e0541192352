"""Packages of rpm repositories: the primary metadata that createrepo writes (XML)."""

from collections.abc import Iterator
from xml.parsers import expat

from brave_bridge.core.formats.text import plain, whole_number
from brave_bridge.core.packages.package_version import Details, PackageVersion, Relations
from brave_bridge.core.packages.relation import Atom, Clause, Provided
from brave_bridge.core.packages.rich_relation import rich_clauses
from brave_bridge.core.versions.rpm import version_key

_OPERATORS = {"EQ": "=", "LT": "<", "LE": "<=", "GT": ">", "GE": ">="}
_RELATIONS = ("provides", "requires", "conflicts", "obsoletes", "recommends")
_OF_THE_TOOL = ("rpmlib(",)
"""Names that the package manager itself provides."""

MAX_TEXT = 1 << 16


class BadRepodata(ValueError):
    """Metadata that is none; the message says where and what was seen."""


def evr(attributes: dict[str, str]) -> str:
    """``epoch:version-release`` from the attributes of an element, as far as they are there."""
    text = f"{attributes.get('epoch') or '0'}:{attributes.get('ver', '')}"
    return f"{text}-{attributes['rel']}" if attributes.get("rel") else text


def read_repodata(content: bytes, suite: str, install_only: frozenset[str]) -> list[PackageVersion]:
    """The packages of a primary metadata file; BadRepodata where it is none.

    ``install_only`` names those of which several versions may stand at a time (kernels).
    """
    reader = _Reader(suite, install_only)
    parser = expat.ParserCreate(namespace_separator=" ")
    parser.StartElementHandler = reader.begin
    parser.EndElementHandler = reader.end
    parser.CharacterDataHandler = reader.text
    parser.StartDoctypeDeclHandler = reader.refuse
    try:
        parser.Parse(content, True)
    except expat.ExpatError as error:
        raise BadRepodata(f"{suite}: {error}") from error
    return reader.found


class _Reader:
    """Puts packages together as the elements come."""

    def __init__(self, suite: str, install_only: frozenset[str]) -> None:
        self.found: list[PackageVersion] = []
        self._suite = suite
        self._install_only = install_only
        self._words: dict[str, str] = {}
        self._version: dict[str, str] = {}
        self._size: dict[str, str] = {}
        self._location = ""
        self._relations: dict[str, list[dict[str, str]]] = {}
        self._files: list[str] = []
        self._within = ""
        self._text = ""

    def refuse(self, *_words) -> None:
        raise BadRepodata(f"{self._suite}: a document type is declared")

    def begin(self, element: str, attributes: dict[str, str]) -> None:
        name = element.rpartition(" ")[2]
        self._text = ""
        if name == "package":
            self._words, self._version, self._size, self._location = {}, {}, {}, ""
            self._relations, self._files = {kind: [] for kind in _RELATIONS}, []
        elif name == "version":
            self._version = attributes
        elif name == "size":
            self._size = attributes
        elif name == "location":
            self._location = attributes.get("href", "")
        elif name in _RELATIONS:
            self._within = name
        elif name == "entry" and self._within:
            self._relations[self._within].append(attributes)

    def text(self, text: str) -> None:
        if len(self._text) < MAX_TEXT:
            self._text += text

    def end(self, element: str) -> None:
        name = element.rpartition(" ")[2]
        if name in ("name", "arch", "checksum", "group", "sourcerpm"):
            self._words[name] = self._text.strip()
        elif name == "file":
            self._files.append(self._text.strip())
        elif name in _RELATIONS:
            self._within = ""
        elif name == "package":
            package = self._package()
            if package is not None:
                self.found.append(package)

    def _package(self) -> PackageVersion | None:
        name, version = self._words.get("name", ""), evr(self._version)
        if not name or not (name + version).isprintable() or self._words.get("arch") == "src":
            return None
        details = Details(
            section=plain(self._words.get("group", "")),
            download_bytes=whole_number(self._size.get("package", "")),
            disk_bytes=whole_number(self._size.get("installed", "")),
            path=plain(self._location),
            sha256=self._words.get("checksum", ""),
        )
        return rpm_package(
            name,
            version,
            self._words.get("arch", ""),
            self._relations,
            self._files,
            details,
            install_only=name in self._install_only or self._is_told_apart(),
            suite=self._suite,
        )

    def _is_told_apart(self) -> bool:
        names = (entry.get("name", "") for entry in self._relations["provides"])
        return any(name.startswith("installonlypkg(") for name in names)


def rpm_package(
    name: str,
    version: str,
    architecture: str,
    relations: dict[str, list[dict[str, str]]],
    files: list[str],
    details: Details,
    *,
    install_only: bool,
    suite: str = "",
) -> PackageVersion:
    """A version from its relations; each is a dict of name, flags, epoch, ver and rel."""
    obsoletes = tuple(_atoms(relations.get("obsoletes", ()), by_name=True))
    said = Relations(
        needs=tuple(_clauses(relations.get("requires", ()))),
        recommends=tuple(_clauses(relations.get("recommends", ()))),
        against=tuple(_atoms(relations.get("conflicts", ()))) + obsoletes,
        replaces=obsoletes,
    )
    slot = f"{name}.{architecture}"
    provides = [_provided(entry) for entry in relations.get("provides", ())]
    provides += [Provided(path) for path in files]
    if not any(provided.name == name for provided in provides):
        provides.append(Provided(name, version_key(version)))
    return PackageVersion(
        name=name,
        architecture=architecture,
        version=version.removeprefix("0:"),
        key=version_key(version),
        slot=f"{slot}={version}" if install_only else slot,
        read_relations=lambda: said,
        read_details=lambda: details,
        provides=tuple(provides),
        together=True,
        several=install_only,
        suite=suite,
    )


def _provided(entry: dict[str, str]) -> Provided:
    versioned = entry.get("flags") == "EQ"
    return Provided(entry.get("name", ""), version_key(evr(entry)) if versioned else None)


def _atom(entry: dict[str, str], by_name: bool = False) -> Atom:
    operator = _OPERATORS.get(entry.get("flags", ""), "")
    version = evr(entry) if operator else ""
    key = version_key(version) if operator else ()
    words = version.removeprefix("0:")
    return Atom(entry.get("name", ""), operator, key, version=words, by_name=by_name)


def _atoms(entries, by_name: bool = False) -> Iterator[Atom]:
    return (_atom(entry, by_name) for entry in entries)


def _clauses(entries) -> Iterator[Clause]:
    for entry in entries:
        name = entry.get("name", "")
        if name.startswith(_OF_THE_TOOL):
            continue
        if name.startswith("("):
            yield from rich_clauses(name)
        else:
            atom = _atom(entry)
            yield Clause((atom,), atom.words)
