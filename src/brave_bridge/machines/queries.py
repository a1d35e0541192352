"""What a survey wants to see of a machine, in batches: one batch is one round trip.

A query is plain data, so that a machine at the far end of a slow link can answer many at
once. Paths are absolute paths on the machine; patterns are shell patterns that may have
wildcards in any part. Nothing that a query asks for changes the machine.
"""

from collections.abc import Iterable
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.text import decoded


class Contents(msgspec.Struct, frozen=True):
    """The contents of regular files. A longer one is a fault, or its beginning if ``cut``.

    With ``containing``, only the lines that have one of these texts in them; compressed
    logs (``.gz``) are read as if they were not.
    """

    patterns: tuple[str, ...]
    limit: int = 64 * 1024
    cut: bool = False
    containing: tuple[bytes, ...] = ()


class Names(msgspec.Struct, frozen=True):
    """Which paths there are, with kind and size; no content."""

    patterns: tuple[str, ...]


class Links(msgspec.Struct, frozen=True):
    """Where symbolic links point."""

    patterns: tuple[str, ...]


class Below(msgspec.Struct, frozen=True):
    """The regular files below folders that end in one of ``endings``."""

    folders: tuple[str, ...]
    endings: tuple[str, ...]


class Rooms(msgspec.Struct, frozen=True):
    """Room on the file systems that hold paths."""

    paths: tuple[str, ...]


class Sums(msgspec.Struct, frozen=True):
    """MD5 and SHA-256 of files' contents."""

    paths: tuple[str, ...]
    limit: int = 16_000_000


class Stanzas(msgspec.Struct, frozen=True):
    """Some fields of the stanzas of named packages, out of package indices."""

    patterns: tuple[str, ...]
    names: frozenset[str]
    fields: tuple[str, ...]


class Answers(msgspec.Struct, frozen=True):
    """The outputs of short commands that only look. They are ended after ``seconds``.

    Those of the programs named ``patiently`` get so many seconds more: a slow machine is no
    machine without a service manager.
    """

    commands: tuple[tuple[str, ...], ...]
    seconds: float = 5.0
    patiently: tuple[str, ...] = ("systemctl", "loginctl", "timedatectl")
    more_seconds: float = 40.0
    limit: int = 1_000_000
    with_errors: bool = False
    """Whether what they print as errors is a part of their answer."""


class Knocks(msgspec.Struct, frozen=True):
    """What the listening TCP ports of the machine do when somebody connects (``OUTCOMES``).

    ``seconds`` is how long all of them together are waited for, and ``more_seconds`` beyond it
    those that did better ``before``. A system that does not run has none.
    """

    seconds: float = 1.5
    before: dict[str, str] = {}
    more_seconds: float = 15.0


Query = Contents | Names | Links | Below | Rooms | Sums | Stanzas | Answers | Knocks


class Answer(msgspec.Struct, frozen=True):
    """A command's end; code 127 where there is no such command, 124 where it took too long."""

    code: int
    output: str

    @property
    def ok(self) -> bool:
        """Whether the command was there and went well."""
        return self.code == 0

    @property
    def is_not_there(self) -> bool:
        """Whether there is nobody to ask."""
        return self.code == 127

    @property
    def took_too_long(self) -> bool:
        """Whether nobody knows what it would have answered."""
        return self.code == 124


class Found(msgspec.Struct, frozen=True):
    """A path that exists. ``kind`` is ``file``, ``folder``, ``link`` or ``other``.

    ``modified`` is when its content was written, in seconds since the epoch.
    """

    path: str
    kind: str
    size: int
    modified: int = 0


class Room(msgspec.Struct, frozen=True):
    """What statvfs(3) says, in bytes and inodes; ``device`` tells file systems apart."""

    free_bytes: int
    total_bytes: int
    free_inodes: int
    total_inodes: int
    device: int


class Stanza(msgspec.Struct, frozen=True):
    """A stanza of an index: the index file and the wanted fields."""

    path: str
    fields: dict[str, str]


class Seen(msgspec.Struct):
    """What came back for the queries of one or more rounds."""

    contents: dict[str, bytes] = {}
    faults: dict[str, str] = {}
    found: dict[str, Found] = {}
    links: dict[str, str] = {}
    below: dict[str, list[str]] = {}
    rooms: dict[str, Room] = {}
    sums: dict[str, tuple[str, str]] = {}
    stanzas: list[Stanza] = []
    answers: dict[tuple[str, ...], Answer] = {}
    knocks: dict[str, str] = {}

    def add(self, other: "Seen") -> None:
        """Take over what another round saw."""
        for name in ("contents", "faults", "found", "links", "below", "rooms", "sums", "answers"):
            getattr(self, name).update(getattr(other, name))
        self.knocks.update(other.knocks)
        self.stanzas += other.stanzas

    def text(self, path: str) -> str | None:
        """A file's content as text, or None where it was not read."""
        content = self.contents.get(path)
        return None if content is None else decoded(content)

    def word(self, path: str) -> str:
        """A short file's content without the white space around it; empty where there is none."""
        return (self.text(path) or "").strip().strip("\0")

    def texts(self, pattern: str) -> Iterable[tuple[str, str]]:
        """The files that were read and match a pattern, in path order."""
        for path in sorted(self.contents):
            if fnmatchcase(path, pattern):
                yield path, decoded(self.contents[path])

    def paths(self, pattern: str) -> list[Found]:
        """The paths that were found and match a pattern, sorted."""
        return [self.found[path] for path in sorted(self.found) if fnmatchcase(path, pattern)]

    def answer(self, *command: str) -> Answer:
        """A command's answer; that of a command that is not there where it was not asked."""
        return self.answers.get(command, Answer(127, ""))
