"""Where fetched indices are kept: by what is in them, so that machines share them.

Below a folder of the person's: ``SHA256`` is an index's text, ``SHA256.table`` where its
packages are. Nothing here belongs to a machine; all of it can be made again.
"""

import contextlib
import hashlib
import mmap
import os
import time
from collections.abc import Callable
from typing import BinaryIO

from brave_bridge.core.packages.index_table import (
    MAX_STANZA,
    IndexTable,
    KeptTable,
    ScannedTable,
)
from brave_bridge.machines.opening.beneath import FILE, Beneath
from brave_bridge.machines.opening.own_folders import cache_folder
from brave_bridge.machines.port import Machine

_NAME = "indices"
_LARGEST_TABLE = 64_000_000
_SHA256 = 64
_USUAL_STANZA = 4096


def store_of(machine: Machine) -> "IndexStore":
    """The store for a machine: the person's own, which all their machines share.

    A stand-in's archives are its own world, so it has a store of its own.
    """
    if machine.is_pretended:
        return IndexStore(machine.state.here(_NAME))
    return IndexStore(cache_folder() / _NAME)


class IndexStore:
    """Indices of archives in a folder that nobody else can write to."""

    def __init__(self, folder: Beneath) -> None:
        self.folder = folder

    def place(self, sha256: str) -> Beneath:
        """Where the index of that sum is, or will be."""
        if len(sha256) != _SHA256 or not set(sha256) <= set("0123456789abcdef"):
            raise ValueError(f"not a SHA-256: {sha256[:80]!r}")
        return self.folder / sha256

    def _table_of(self, sha256: str) -> Beneath:
        return self.place(sha256).beside(f"{sha256}.table")

    def has(self, sha256: str) -> bool:
        """Whether the index of that sum is here."""
        try:
            self.place(sha256).opened().close()
        except OSError:
            return False
        return True

    def keep(self, content: bytes) -> str:
        """Keep an index and the table of its packages; its sum."""
        sha256 = hashlib.sha256(content).hexdigest()
        if not self.has(sha256):
            self.write(self._table_of(sha256), ScannedTable(content).encoded())
            self.write(self.place(sha256), content)
        return sha256

    def open(self, sha256: str) -> tuple[Callable[[int], bytes], IndexTable]:
        """What reads the stanza of an index at an offset, and its table.

        FileNotFoundError where the index is not here. It is read and not mapped: what is
        looked at is a few thousand stanzas here and there.
        """
        stream = self.place(sha256).opened(buffering=0)
        _say_used(stream)
        try:
            with self._table_of(sha256).opened(buffering=0) as kept:
                _say_used(kept)
                table: IndexTable = KeptTable(kept.read(_LARGEST_TABLE))
        except (OSError, ValueError):
            table = _scanned(stream)
        return _reader(stream), table

    def let_go(self, days: float) -> None:
        """Remove what nobody has used for that many days."""
        before = time.time() - days * 86_400
        with contextlib.suppress(OSError):
            for name, kind in self.folder.entries():
                with contextlib.suppress(OSError):
                    status = (self.folder / name).status() if kind == FILE else None
                    if status is not None and status.st_mtime < before:
                        (self.folder / name).remove()

    def write(self, place: Beneath, content: bytes) -> None:
        """Put a file into the folder in one step."""
        place.above.make_folder()
        place.write(content)


def _say_used(stream: BinaryIO) -> None:
    with contextlib.suppress(OSError):
        os.utime(stream.fileno())


def _reader(stream: BinaryIO) -> Callable[[int], bytes]:
    """Reads stanzas of an open file, which is closed when nobody needs the reader any more."""

    def read_stanza(start: int) -> bytes:
        length = _USUAL_STANZA
        while True:
            piece = os.pread(stream.fileno(), length, start)
            end = piece.find(b"\n\n")
            if end >= 0 or len(piece) < length or length >= MAX_STANZA:
                return piece[:end] if end >= 0 else piece
            length *= 4

    return read_stanza


def _scanned(stream: BinaryIO) -> ScannedTable:
    if not os.fstat(stream.fileno()).st_size:
        return ScannedTable(b"")
    with mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ) as content:
        return ScannedTable(content)
