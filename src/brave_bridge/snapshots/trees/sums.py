"""The hashes of a copy as coreutils write them, for who has nothing but that.

A file for each kind: ``sha256sum -c SHA256SUMS`` and ``b2sum -c B2SUMS`` (sha256sum(1), b2sum(1)).
"""

import re
from pathlib import Path
from urllib.parse import unquote_to_bytes

from brave_bridge.snapshots.trees.hashing import BLAKE2, SHA256

SUMS = {"SHA256SUMS": SHA256, "B2SUMS": BLAKE2}
"""What the files are called, and the mark of the hashes in them."""


def write_sums(folder: Path) -> None:
    """Write the sums of the files in ``folder``/manifest.jsonl beside it. OSError.

    They are flushed with the snapshot.
    """
    content = (folder / "manifest.jsonl").read_bytes()
    for name, mark in SUMS.items():
        if files := _files_of(mark).findall(content):
            _write(folder / name, files)


def _files_of(mark: str) -> re.Pattern[bytes]:
    """The beginning of a file's line; nothing else in a manifest has these quotes unescaped."""
    return re.compile(rb'\["f","([^"]*)",[\d,]*"%b([0-9a-f]{64})"' % mark.encode())


def _write(sums: Path, files: list[tuple[bytes, bytes]]) -> None:
    with open(sums, "wb") as stream:
        stream.writelines(
            _line(unquote_to_bytes(path), digest) if b"%" in path else _plain_line(path, digest)
            for path, digest in files
        )


def _plain_line(path: bytes, digest: bytes) -> bytes:
    """The line of a path that needs no escape, as nearly all are."""
    return b"%b  tree/%b\n" % (digest, path)


def _line(path: bytes, digest: bytes) -> bytes:
    escaped = path.replace(b"\\", b"\\\\").replace(b"\n", b"\\n").replace(b"\r", b"\\r")
    mark = b"\\" if escaped != path else b""
    return mark + digest + b"  tree/" + escaped + b"\n"
