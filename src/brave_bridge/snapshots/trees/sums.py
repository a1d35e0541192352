"""The hashes of a copy as coreutils write them, for who has nothing but that (sha256sum(1))."""

import os
import re
from pathlib import Path
from urllib.parse import unquote_to_bytes

SUMS = "SHA256SUMS"

_FILE_LINE = re.compile(rb'(?m)^\["f","([^"]*)",(?:\d+,){5}"sha256:([0-9a-f]{64})"')


def write_sums(manifest: Path, sums: Path) -> None:
    """Write the sums of a manifest's files, named from the folder that it stands in. OSError."""
    content = manifest.read_bytes()
    with open(sums, "wb") as stream:
        for found in _FILE_LINE.finditer(content):
            path, digest = found.groups()
            stream.write(_line(unquote_to_bytes(path) if b"%" in path else path, digest))
        stream.flush()
        os.fsync(stream.fileno())


def _line(path: bytes, digest: bytes) -> bytes:
    escaped = path.replace(b"\\", b"\\\\").replace(b"\n", b"\\n").replace(b"\r", b"\\r")
    mark = b"\\" if escaped != path else b""
    return mark + digest + b"  tree/" + escaped + b"\n"
