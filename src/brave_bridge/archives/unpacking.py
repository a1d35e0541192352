"""Compressed indices: xz, gzip, zstd or plain, with a bound on what comes out."""

import lzma
import zlib
from collections.abc import Callable

import zstandard

from brave_bridge.archives.fault import ArchiveFault

ENDINGS = (".xz", ".zst", ".gz", "")
"""Of the same index the one that is listed first is fetched."""


def unpacked(content: bytes, ending: str, size: int) -> bytes:
    """The content of a compressed file, which must be of exactly that size.

    ArchiveFault where it is damaged, or larger or smaller than it was said to be.
    """
    try:
        plain = _UNPACKERS[ending](content, size + 1)
    except (lzma.LZMAError, zlib.error, zstandard.ZstdError, EOFError, KeyError) as error:
        raise ArchiveFault("format", f"cannot be unpacked: {error}") from error
    if len(plain) != size:
        less = "more" if len(plain) > size else f"{len(plain)}"
        raise ArchiveFault("size", f"holds {less} bytes, where {size} were announced")
    return plain


def _xz(content: bytes, most: int) -> bytes:
    return lzma.LZMADecompressor(memlimit=512 << 20).decompress(content, max_length=most)


def _gz(content: bytes, most: int) -> bytes:
    return zlib.decompressobj(wbits=31).decompress(content, most)


def _zst(content: bytes, most: int) -> bytes:
    with zstandard.ZstdDecompressor(max_window_size=1 << 27).stream_reader(content) as reader:
        pieces, length = [], 0
        while length < most and (piece := reader.read(min(1 << 20, most - length))):
            pieces.append(piece)
            length += len(piece)
    return b"".join(pieces)


def _plain(content: bytes, most: int) -> bytes:
    return content[:most]


_UNPACKERS: dict[str, Callable[[bytes, int], bytes]] = {
    ".xz": _xz, ".gz": _gz, ".zst": _zst, "": _plain,
}  # fmt: skip
