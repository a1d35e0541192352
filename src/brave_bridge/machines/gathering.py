"""Answering queries from what can be reached: bounded in time, memory and reach."""

import hashlib
import itertools
import os
import re
import zlib
from collections.abc import Callable, Iterable, Iterator

from brave_bridge.core.formats.packing import PACKED, PackingError, unpack
from brave_bridge.machines.queries import (
    Below,
    Contents,
    Links,
    Names,
    Query,
    Rooms,
    Seen,
    Stanza,
    Stanzas,
    Sums,
)
from brave_bridge.machines.reach import Reach, below, expanded

MAX_LOG_BYTES = 64_000_000
"""Bytes of one log that are searched for lines."""

_INDEX_LIMIT = 400_000_000
_FIRST_ROOM, _MOST_ROOM = 1 << 16, 1 << 24
_PACKAGE = re.compile(rb"\nPackage: ([^\n]*)")
_FIRST_PACKAGE = re.compile(_PACKAGE.pattern.removeprefix(rb"\n"))


class Gathering:
    """One pass of looking at what can be reached."""

    def __init__(self, reach: Reach) -> None:
        self.reach = reach
        self.seen = Seen()
        self._granting: dict[type, Callable] = {
            Contents: self._contents,
            Names: self._names,
            Links: self._links,
            Below: self._below,
            Rooms: self._rooms,
            Sums: self._sums,
            Stanzas: self._stanzas,
        }

    def grant(self, query: Query) -> None:
        """Add what a query asks for to ``seen``; TypeError for what nobody can see in files."""
        granting = self._granting.get(type(query))
        if granting is None:
            raise TypeError(f"nothing grants {type(query).__name__}")
        granting(query)

    def _expanded(self, patterns: Iterable[str]) -> Iterator[str]:
        return expanded(self.reach, patterns, self.seen.faults)

    def _contents(self, query: Contents) -> None:
        for path in self._expanded(query.patterns):
            try:
                content = (
                    self._lines(path, query) if query.containing else self._content(path, query)
                )
            except OSError as error:
                self.seen.faults[path] = error.strerror or str(error)
            else:
                if content is not None:
                    self.seen.contents[path] = content

    def _content(self, path: str, query: Contents) -> bytes | None:
        stream = self.reach.opened(path)
        if stream is None:
            return None
        with stream:
            content = _read_up_to(stream, query.limit + 1)
        if len(content) > query.limit:
            if not query.cut:
                self.seen.faults[path] = f"longer than {query.limit} bytes"
                return None
            content = content[: query.limit]
        return content

    def _lines(self, path: str, query: Contents) -> bytes | None:
        stream = self.reach.opened(path)
        if stream is None:
            return None
        kept, size = [], 0
        with stream:
            pieces = _decompressed(stream) if path.endswith(".gz") else _pieces(stream)
            for line in _split(pieces):
                if any(text in line for text in query.containing):
                    kept.append(line)
                    size += len(line) + 1
                    if size > query.limit:
                        break
        return b"\n".join(kept)

    def _names(self, query: Names) -> None:
        for path in self._expanded(query.patterns):
            try:
                found = self.reach.found(path)
            except OSError as error:
                # Not known is not the same as not there.
                self.seen.faults[path] = error.strerror or str(error)
                continue
            if found is not None:
                self.seen.found[path] = found

    def _links(self, query: Links) -> None:
        for path in self._expanded(query.patterns):
            target = self.reach.link(path)
            if target is not None:
                self.seen.links[path] = target

    def _below(self, query: Below) -> None:
        for folder in query.folders:
            self.seen.below[folder] = sorted(below(self.reach, folder, query.endings))

    def _rooms(self, query: Rooms) -> None:
        for path in query.paths:
            try:
                room = self.reach.room(path)
            except OSError:
                continue
            if room is not None:
                self.seen.rooms[path] = room

    def _sums(self, query: Sums) -> None:
        for path in query.paths:
            try:
                stream = self.reach.opened(path)
                if stream is None:
                    continue
                with stream:
                    content = _read_up_to(stream, query.limit + 1)
            except OSError as error:
                self.seen.faults[path] = error.strerror or str(error)
                continue
            if len(content) > query.limit:
                self.seen.faults[path] = f"longer than {query.limit} bytes"
                continue
            md5 = hashlib.md5(content, usedforsecurity=False).hexdigest()
            self.seen.sums[path] = (md5, hashlib.sha256(content).hexdigest())

    def _stanzas(self, query: Stanzas) -> None:
        wanted = {name.encode() for name in query.names}
        labels = tuple(f"{field}: ".encode() for field in query.fields)
        for path in self._expanded(query.patterns):
            try:
                stream = self.reach.opened(path)
                if stream is None:
                    continue
                with stream:
                    content = _unpacked(_read_up_to(stream, _INDEX_LIMIT), path)
            except (OSError, PackingError) as error:
                self.seen.faults[path] = getattr(error, "strerror", "") or str(error)
                continue
            for stanza in stanzas_of(content, wanted):
                self.seen.stanzas.append(Stanza(path, _fields(stanza, labels)))


def stanzas_of(content: bytes, wanted: set[bytes]) -> Iterator[bytes]:
    """The stanzas of an index whose Package field is among the wanted names."""
    first = _FIRST_PACKAGE.match(content)
    found = itertools.chain((first,) if first else (), _PACKAGE.finditer(content))
    for label in found:
        if label[1] in wanted:
            begin = content.rfind(b"\n\n", 0, label.start(1)) + 2
            end = content.find(b"\n\n", label.end())
            yield content[begin if begin > 1 else 0 : end if end >= 0 else None]


def _unpacked(content: bytes, path: str) -> bytes:
    """An index as text, by the ending of its name."""
    ending = os.path.splitext(path)[1]
    return unpack(content, ending, _INDEX_LIMIT) if ending in PACKED else content


def _fields(stanza: bytes, labels: tuple[bytes, ...]) -> dict[str, str]:
    found = {}
    for line in stanza.split(b"\n"):
        if line.startswith(labels):
            name, _, value = line.partition(b": ")
            found[name.decode("ascii", "replace")] = value.decode("utf-8", "replace")
    return found


def _read_up_to(stream, limit: int) -> bytes:
    """Up to ``limit`` bytes; files of /proc come in pieces.

    Most files are small: room for much more than a file has takes longer than reading it.
    """
    pieces, size, room = [], 0, _FIRST_ROOM
    while size < limit:
        piece = stream.read(min(limit - size, room))
        if not piece:
            break
        pieces.append(piece)
        size += len(piece)
        if len(piece) == room:
            room = min(16 * room, _MOST_ROOM)
    return pieces[0] if len(pieces) == 1 else b"".join(pieces)


def _pieces(stream) -> Iterator[bytes]:
    size = 0
    while size < MAX_LOG_BYTES:
        piece = stream.read(1 << 20)
        if not piece:
            return
        size += len(piece)
        yield piece


def _decompressed(stream) -> Iterator[bytes]:
    """The content of a gzip file as far as ``MAX_LOG_BYTES`` reach; damage ends it."""
    inflater, size = zlib.decompressobj(wbits=31), 0
    for packed in _pieces(stream):
        try:
            while packed and size < MAX_LOG_BYTES:
                piece = inflater.decompress(packed, 1 << 20)
                packed = inflater.unconsumed_tail
                size += len(piece)
                yield piece
        except zlib.error:
            return


def _split(pieces: Iterable[bytes]) -> Iterator[bytes]:
    rest = b""
    for piece in pieces:
        *lines, rest = (rest + piece).split(b"\n")
        yield from lines
        if len(rest) > 1 << 20:
            rest = b""
    if rest:
        yield rest
