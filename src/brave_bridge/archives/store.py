"""Where fetched indices are kept: by what is in them, so that machines share them.

Below a folder of the person's: ``SHA256`` is an index's text, ``SHA256.table`` where its
packages are. Nothing here belongs to a machine; all of it can be made again.
"""

import contextlib
import hashlib
import io
import mmap
import os
import time
from collections.abc import Callable
from pathlib import Path

from brave_bridge.core.packages.index_table import (
    MAX_STANZA,
    IndexTable,
    KeptTable,
    ScannedTable,
)
from brave_bridge.machines.port import Machine
from brave_bridge.machines.writing import replace_file

_SHA256 = 64
_USUAL_STANZA = 4096


def store_of(machine: Machine) -> "IndexStore":
    """The store for a machine: the person's own, which all their machines share.

    A stand-in's archives are its own world, so it has a store of its own.
    """
    if machine.is_pretended:
        return IndexStore(machine.state.here("indices"))
    base = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    return IndexStore(Path(base) / "brave-bridge" / "indices")


class IndexStore:
    """Indices of archives in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, sha256: str) -> Path:
        """Where the index of that sum is, or will be."""
        if len(sha256) != _SHA256 or not set(sha256) <= set("0123456789abcdef"):
            raise ValueError(f"not a SHA-256: {sha256[:80]!r}")
        return self.folder / sha256

    def has(self, sha256: str) -> bool:
        """Whether the index of that sum is here."""
        return self.path(sha256).is_file()

    def keep(self, content: bytes) -> str:
        """Keep an index and the table of its packages; its sum."""
        sha256 = hashlib.sha256(content).hexdigest()
        path = self.path(sha256)
        if not path.exists():
            self.write(path.with_suffix(".table"), ScannedTable(content).encoded())
            self.write(path, content)
        return sha256

    def open(self, sha256: str) -> tuple[Callable[[int], bytes], IndexTable]:
        """What reads the stanza of an index at an offset, and its table.

        FileNotFoundError where the index is not here. It is read and not mapped: what is
        looked at is a few thousand stanzas here and there.
        """
        stream = open(self.path(sha256), "rb", buffering=0)  # noqa: SIM115
        for path in (self.path(sha256), self.path(sha256).with_suffix(".table")):
            with contextlib.suppress(OSError):
                os.utime(path)
        try:
            table = KeptTable(self.path(sha256).with_suffix(".table").read_bytes())
        except (OSError, ValueError):
            table = _scanned(stream)
        return _reader(stream), table

    def let_go(self, days: float) -> None:
        """Remove what nobody has used for that many days."""
        before = time.time() - days * 86_400
        for path in self.folder.glob("*"):
            with contextlib.suppress(OSError):
                if path.is_file() and path.stat().st_mtime < before:
                    path.unlink()

    def write(self, path: Path, content: bytes) -> None:
        """Put a file into the folder in one step."""
        self.folder.mkdir(parents=True, exist_ok=True)
        replace_file(path, content)


def _reader(stream: io.FileIO) -> Callable[[int], bytes]:
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


def _scanned(stream: io.FileIO) -> ScannedTable:
    if not os.fstat(stream.fileno()).st_size:
        return ScannedTable(b"")
    with mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ) as content:
        return ScannedTable(content)
