"""Fetched indices: unpacked, and of exactly the size that was announced."""

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.formats.packing import PackingError, unpack

ENDINGS = (".xz", ".zst", ".gz", "")
"""Of the same index the one that is listed first is fetched."""


def unpacked(content: bytes, ending: str, size: int) -> bytes:
    """The content of a compressed file, which must be of exactly that size.

    ArchiveFault where it is damaged, or larger or smaller than it was said to be.
    """
    try:
        plain = unpack(content, ending, size + 1)
    except PackingError as error:
        raise ArchiveFault("format", str(error)) from error
    if len(plain) != size:
        less = "more" if len(plain) > size else f"{len(plain)}"
        raise ArchiveFault("size", f"holds {less} bytes, where {size} were announced")
    return plain
