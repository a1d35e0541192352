"""The hashes of a copy as coreutils write them, for who has nothing but that (sha256sum(1))."""

import re
from pathlib import Path
from urllib.parse import unquote_to_bytes

SUMS = "SHA256SUMS"

_FILE = re.compile(rb'\["f","([^"]*)",[\d,]*"sha256:([0-9a-f]{64})"')
"""The beginning of a file's line; nothing else in a manifest has these quotes unescaped."""


def write_sums(manifest: Path, sums: Path) -> None:
    """Write the sums of a manifest's files, named from the folder that it stands in. OSError.

    They are flushed with the snapshot.
    """
    content = manifest.read_bytes()
    with open(sums, "wb") as stream:
        stream.writelines(
            _line(unquote_to_bytes(path), digest) if b"%" in path else _plain_line(path, digest)
            for path, digest in _FILE.findall(content)
        )


def _plain_line(path: bytes, digest: bytes) -> bytes:
    """The line of a path that needs no escape, as nearly all are."""
    return b"%b  tree/%b\n" % (digest, path)


def _line(path: bytes, digest: bytes) -> bytes:
    escaped = path.replace(b"\\", b"\\\\").replace(b"\n", b"\\n").replace(b"\r", b"\\r")
    mark = b"\\" if escaped != path else b""
    return mark + digest + b"  tree/" + escaped + b"\n"
