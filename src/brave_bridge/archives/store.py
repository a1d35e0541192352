"""Where fetched indices are kept: by what is in them, so that machines share them.

Below a folder of the person's: ``SHA256`` is an index's text, ``SHA256.table`` where its
packages are. Nothing here belongs to a machine; all of it can be made again.
"""

import contextlib
import hashlib
import mmap
import os
import tempfile
from pathlib import Path

import msgspec

from brave_bridge.core.packages.deb_index import TABLE_VERSION, IndexTable, index_table

_SHA256 = 64


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
        """Keep an index; its sum."""
        sha256 = hashlib.sha256(content).hexdigest()
        path = self.path(sha256)
        if not path.exists():
            self._write(path, content)
        return sha256

    def open(self, sha256: str) -> tuple[mmap.mmap | bytes, IndexTable]:
        """An index's text, mapped, and its table, made where it is missing.

        FileNotFoundError where the index is not here.
        """
        content = _mapped(self.path(sha256))
        kept = self.path(sha256).with_suffix(".table")
        with contextlib.suppress(OSError, msgspec.DecodeError):
            table = msgspec.msgpack.decode(kept.read_bytes(), type=IndexTable)
            if table.version == TABLE_VERSION:
                return content, table
        table = index_table(content)
        with contextlib.suppress(OSError):
            self._write(kept, msgspec.msgpack.encode(table))
        return content, table

    def _write(self, path: Path, content: bytes) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        descriptor, name = tempfile.mkstemp(dir=self.folder, prefix=".new-")
        try:
            with open(descriptor, "wb") as stream:
                stream.write(content)
            os.replace(name, path)
        except OSError:
            Path(name).unlink(missing_ok=True)
            raise


def _mapped(path: Path) -> mmap.mmap | bytes:
    with open(path, "rb") as stream:
        if not os.fstat(stream.fileno()).st_size:
            return b""
        return mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ)
