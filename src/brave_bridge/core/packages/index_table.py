"""Where the packages of a deb index are: found by scanning it, or kept from an earlier scan.

A kept table is a row of small buckets, each with the names of one share; a bucket is decoded
when one of its names is asked for, so that little is read for little.
"""

import re
from bisect import bisect_right
from collections.abc import Iterator
from typing import Protocol
from zlib import crc32

import msgspec

TABLE_VERSION = 4
MAX_STANZA = 4 * 1024 * 1024
_BUCKETS = 1 << 14

# Patterns that begin with plain text are found ten times faster than those that do not.
_PACKAGE = re.compile(rb"\nPackage: ([^\n]+)")
_FIRST_PACKAGE = re.compile(rb"Package: ([^\n]+)")
_PROVIDES = re.compile(rb"\nProvides: ([^\n]*(?:\n [^\n]*)*)")
_PROVIDED_NAME = re.compile(rb"(?:\A|,)\s*([a-zA-Z0-9][a-zA-Z0-9.+_-]*)")


class IndexTable(Protocol):
    """Where stanzas begin, by the package's name and by what it provides."""

    def packages(self, name: str) -> list[int]:
        """The stanzas of a package."""

    def providers(self, name: str) -> list[int]:
        """The stanzas of packages that provide a name."""

    def names(self) -> Iterator[str]:
        """The names of all packages."""


class ScannedTable:
    """A table made by scanning an index's text (bytes or a map of a file)."""

    def __init__(self, content) -> None:
        self._packages: dict[bytes, list[int]] = {}
        self._providers: dict[bytes, list[int]] = {}
        starts = self._scan_packages(content)
        self._scan_provides(content, starts)

    def _scan_packages(self, content) -> list[int]:
        packages, starts = self._packages, []
        if first := _FIRST_PACKAGE.match(content):
            packages[first[1]] = [0]
            starts.append(0)
        for match in _PACKAGE.finditer(content):
            name, start = match[1], match.start() + 1
            if content[start - 2 : start - 1] != b"\n":
                start = _start_of(content, start)
            starts.append(start)
            if name in packages:
                packages[name].append(start)
            else:
                packages[name] = [start]
        return starts

    def _scan_provides(self, content, starts: list[int]) -> None:
        providers = self._providers
        for match in _PROVIDES.finditer(content):
            number = bisect_right(starts, match.start()) - 1
            if number < 0:
                continue
            start = starts[number]
            for name in _PROVIDED_NAME.findall(match[1]):
                if name in providers:
                    providers[name].append(start)
                else:
                    providers[name] = [start]

    def packages(self, name: str) -> list[int]:
        """See IndexTable."""
        return self._packages.get(name.encode(), [])

    def providers(self, name: str) -> list[int]:
        """See IndexTable."""
        return self._providers.get(name.encode(), [])

    def names(self) -> Iterator[str]:
        """See IndexTable."""
        return (name.decode("ascii", "replace") for name in self._packages)

    def encoded(self) -> bytes:
        """The table as ``KeptTable`` reads it."""
        buckets = [_Bucket({}, {}) for _ in range(_BUCKETS)]
        for name, places in self._packages.items():
            text = name.decode("ascii", "replace")
            buckets[_bucket_of(text)].packages[text] = places
        for name, places in self._providers.items():
            text = name.decode("ascii")
            buckets[_bucket_of(text)].providers[text] = places
        encode = msgspec.msgpack.Encoder().encode
        return encode(_Kept(TABLE_VERSION, [encode(bucket) for bucket in buckets]))


class _Bucket(msgspec.Struct, frozen=True, array_like=True):
    packages: dict[str, list[int]]
    providers: dict[str, list[int]]


class _Kept(msgspec.Struct, frozen=True, array_like=True):
    version: int
    buckets: list[bytes]


def _bucket_of(name: str) -> int:
    return crc32(name.encode("utf-8", "replace")) % _BUCKETS


class KeptTable:
    """A table from its encoded form; ValueError where that is damaged or of another version."""

    def __init__(self, encoded: bytes) -> None:
        kept = msgspec.msgpack.decode(encoded, type=_Kept)
        if kept.version != TABLE_VERSION or len(kept.buckets) != _BUCKETS:
            raise ValueError("a table of another version")
        self._encoded = kept.buckets
        self._buckets: dict[int, _Bucket] = {}
        self._decode = msgspec.msgpack.Decoder(_Bucket).decode

    def _bucket(self, number: int) -> _Bucket:
        bucket = self._buckets.get(number)
        if bucket is None:
            bucket = self._buckets[number] = self._decode(self._encoded[number])
        return bucket

    def packages(self, name: str) -> list[int]:
        """See IndexTable."""
        return self._bucket(_bucket_of(name)).packages.get(name, [])

    def providers(self, name: str) -> list[int]:
        """See IndexTable."""
        return self._bucket(_bucket_of(name)).providers.get(name, [])

    def names(self) -> Iterator[str]:
        """See IndexTable."""
        for number in range(_BUCKETS):
            yield from self._bucket(number).packages


def _start_of(content, offset: int) -> int:
    """Where the stanza begins in which a line stands that is not its first."""
    earliest = max(0, offset - MAX_STANZA)
    found = content.rfind(b"\n\n", earliest, offset)
    return found + 2 if found >= 0 else earliest
