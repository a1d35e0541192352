"""The hashes of a copy as coreutils write them, for who has nothing but that.

A file for each kind: ``sha256sum -c SHA256SUMS`` and ``b2sum -c B2SUMS`` (sha256sum(1), b2sum(1)).
"""

import re
from urllib.parse import unquote_to_bytes

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.trees.hashing import BLAKE2, SHA256
from brave_bridge.snapshots.trees.manifest import LARGEST

SUMS = {SHA256: "SHA256SUMS", BLAKE2: "B2SUMS"}
"""What the files are called, by the mark of the hashes in them."""

_MARKS = "|".join(SUMS).encode()
_FILE = re.compile(rb'\["f","([^"]*)",[\d,]*"(%b)([0-9a-f]{64})"' % _MARKS)
"""The beginning of a file's line; nothing else in a manifest has these quotes unescaped."""


def write_sums(folder: Beneath) -> None:
    """Write the sums of the files in ``folder``/manifest.jsonl beside it. OSError.

    They are flushed with the snapshot.
    """
    found: dict[bytes, list[bytes]] = {mark.encode(): [] for mark in SUMS}
    for path, mark, digest in _FILE.findall((folder / "manifest.jsonl").read(LARGEST)):
        found[mark].append(
            _line(unquote_to_bytes(path), digest) if b"%" in path else _plain_line(path, digest)
        )
    for mark, lines in found.items():
        if lines:
            with (folder / SUMS[mark.decode()]).written_anew() as stream:
                stream.write(b"".join(lines))


def _plain_line(path: bytes, digest: bytes) -> bytes:
    """The line of a path that needs no escape, as nearly all are."""
    return b"%b  tree/%b\n" % (digest, path)


def _line(path: bytes, digest: bytes) -> bytes:
    escaped = path.replace(b"\\", b"\\\\").replace(b"\n", b"\\n").replace(b"\r", b"\\r")
    mark = b"\\" if escaped != path else b""
    return mark + digest + b"  tree/" + escaped + b"\n"
