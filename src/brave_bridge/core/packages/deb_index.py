"""Package indices of deb archives, read lazily: where each package's stanza is.

Only names and what is provided are read from the whole text; a stanza is parsed when somebody
asks for it. The table of an index can be kept beside it (``msgspec.msgpack``).
"""

import re
from bisect import bisect_right
from itertools import chain

import msgspec

from brave_bridge.core.packages.deb_package import BadStanza, package_version
from brave_bridge.core.packages.package_version import PackageVersion

TABLE_VERSION = 1
MAX_STANZA = 4 * 1024 * 1024

# Patterns that begin with plain text are found ten times faster than those that do not.
_PACKAGE = re.compile(rb"\nPackage: ([^\n]+)")
_FIRST_PACKAGE = re.compile(rb"Package: ([^\n]+)")
_PROVIDES = re.compile(rb"\nProvides: ([^\n]*(?:\n [^\n]*)*)")
_PROVIDED_NAME = re.compile(rb"(?:\A|,)\s*([a-zA-Z0-9][a-zA-Z0-9.+_-]*)")


class IndexTable(msgspec.Struct, frozen=True, array_like=True):
    """Where packages are in an index: offsets of their ``Package`` lines, by name.

    ``providers`` maps a name to the offsets of the packages that provide it.
    """

    version: int
    packages: dict[str, list[int]]
    providers: dict[str, list[int]]


def index_table(content) -> IndexTable:
    """The table of an index's text (bytes or a map of a file)."""
    packages: dict[str, list[int]] = {}
    offsets = []
    first = _FIRST_PACKAGE.match(content)
    for match in chain((first,) if first else (), _PACKAGE.finditer(content)):
        offset = match.start(1)
        offsets.append(offset)
        name = match[1].decode("ascii", "replace").strip()
        if name in packages:
            packages[name].append(offset)
        else:
            packages[name] = [offset]
    providers: dict[str, list[int]] = {}
    for match in _PROVIDES.finditer(content):
        place = bisect_right(offsets, match.start()) - 1
        if place < 0:
            continue
        for name in _PROVIDED_NAME.findall(match[1]):
            providers.setdefault(name.decode("ascii"), []).append(offsets[place])
    return IndexTable(TABLE_VERSION, packages, providers)


class DebIndex:
    """One index: its packages by name and by what they provide.

    ``native`` is the machine's architecture, ``suite`` what tells this source from others.
    ``unread`` lists what in it described no package.
    """

    def __init__(self, content, native: str, suite: str, table: IndexTable | None = None) -> None:
        self.content = content
        self.native = native
        self.suite = suite
        self.table = table or index_table(content)
        self.unread: list[str] = []
        self._read: dict[int, PackageVersion | None] = {}

    def __contains__(self, name: str) -> bool:
        return name in self.table.packages

    def names(self):
        """The names of all its packages."""
        return self.table.packages.keys()

    def versions(self, name: str) -> list[PackageVersion]:
        """The versions of a package, of any architecture."""
        return self._at(self.table.packages.get(name, ()), name)

    def providers(self, name: str) -> list[PackageVersion]:
        """The versions that provide a name."""
        return self._at(self.table.providers.get(name, ()))

    def stanza(self, offset: int) -> bytes:
        """The stanza around an offset, with a line end in front."""
        earliest = max(0, offset - MAX_STANZA)
        start = self.content.rfind(b"\n\n", earliest, offset) + 1
        end = self.content.find(b"\n\n", offset, offset + MAX_STANZA)
        stanza = self.content[start or earliest : end if end >= 0 else offset + MAX_STANZA]
        return stanza if stanza[:1] == b"\n" else b"\n" + stanza

    def _at(self, offsets, name: str = "") -> list[PackageVersion]:
        found = []
        for offset in offsets:
            if offset not in self._read:
                self._read[offset] = self._parsed(offset)
            version = self._read[offset]
            if version is not None and (not name or version.name == name):
                found.append(version)
        return found

    def _parsed(self, offset: int) -> PackageVersion | None:
        try:
            return package_version(self.stanza(offset), self.native, self.suite)[0]
        except BadStanza as error:
            self.unread.append(str(error))
            return None
