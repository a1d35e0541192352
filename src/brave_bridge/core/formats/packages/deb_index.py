"""Package indices of deb archives, read lazily: a stanza is parsed when somebody asks for it."""

from collections.abc import Callable, Iterator

from brave_bridge.core.formats.packages.deb_package import BadStanza, package_version
from brave_bridge.core.packages.index_table import MAX_STANZA, IndexTable, ScannedTable
from brave_bridge.core.packages.package_version import PackageVersion


class DebIndex:
    """One index: its packages by name and by what they provide.

    ``read_stanza`` gives the text of the stanza that begins at an offset. ``native`` is the
    machine's architecture, ``suite`` what tells this source from others. ``unread`` lists what
    in it described no package.
    """

    def __init__(
        self, read_stanza: Callable[[int], bytes], table: IndexTable, native: str, suite: str
    ) -> None:
        self.native = native
        self.suite = suite
        self.unread: list[str] = []
        self._read_stanza = read_stanza
        self._table = table
        self._parsed: dict[int, PackageVersion | None] = {}

    def __contains__(self, name: str) -> bool:
        return bool(self._table.packages(name))

    def names(self) -> Iterator[str]:
        """The names of all its packages."""
        return self._table.names()

    def versions(self, name: str) -> list[PackageVersion]:
        """The versions of a package, of any architecture."""
        return [version for version in self._at(self._table.packages(name)) if version.name == name]

    def providers(self, name: str) -> list[PackageVersion]:
        """The versions that provide a name."""
        return self._at(self._table.providers(name))

    def stanzas(self, name: str) -> list[bytes]:
        """The stanzas of a package as the index has them."""
        return [self._read_stanza(start) for start in self._table.packages(name)]

    def _at(self, starts: list[int]) -> list[PackageVersion]:
        found = []
        for start in starts:
            if start not in self._parsed:
                self._parsed[start] = self._version(start)
            version = self._parsed[start]
            if version is not None:
                found.append(version)
        return found

    def _version(self, start: int) -> PackageVersion | None:
        try:
            stanza = b"\n" + self._read_stanza(start)
            return package_version(stanza, self.native, self.suite)[0]
        except BadStanza as error:
            self.unread.append(str(error))
            return None


def index_of(content: bytes, native: str, suite: str) -> DebIndex:
    """An index of which the whole text is at hand."""

    def read_stanza(start: int) -> bytes:
        end = content.find(b"\n\n", start, start + MAX_STANZA)
        return content[start : end if end >= 0 else start + MAX_STANZA]

    return DebIndex(read_stanza, ScannedTable(content), native, suite)
