"""Packed content: xz, gzip, zstd, lz4, bzip2, or plain, with a bound on what comes out."""

import bz2
import lzma
import zlib
from collections.abc import Callable

_PIECE = 1 << 20


class PackingError(ValueError):
    """Packed content is damaged, or of a kind that is not known here."""


def unpack(content: bytes, ending: str, most: int) -> bytes:
    """At most ``most`` bytes (one at least) of what is packed, by the ending of the file's name.

    No ending stands for plain content. PackingError where it is damaged, or ends too early.
    """
    unpacker = _UNPACKERS.get(ending)
    if unpacker is None:
        raise PackingError(f"{ending} is not known")
    try:
        return unpacker(content, most)
    except (lzma.LZMAError, zlib.error, EOFError, OSError, RuntimeError) as error:
        raise PackingError(f"cannot be unpacked: {error}") from error


def _xz(content: bytes, most: int) -> bytes:
    unpacking = lzma.LZMADecompressor(memlimit=512 << 20)
    return _whole(unpacking, unpacking.decompress(content, max_length=most), most)


def _gz(content: bytes, most: int) -> bytes:
    unpacking = zlib.decompressobj(wbits=31)
    return _whole(unpacking, unpacking.decompress(content, most), most)


def _bz2(content: bytes, most: int) -> bytes:
    unpacking = bz2.BZ2Decompressor()
    return _whole(unpacking, unpacking.decompress(content, max_length=most), most)


# Few machines have packed these: they are imported where one does.
def _lz4(content: bytes, most: int) -> bytes:
    import lz4.frame

    unpacking = lz4.frame.LZ4FrameDecompressor()
    return _whole(unpacking, unpacking.decompress(content, max_length=most), most)


def _zst(content: bytes, most: int) -> bytes:
    import zstandard

    try:
        with zstandard.ZstdDecompressor(max_window_size=1 << 27).stream_reader(content) as reader:
            pieces, length = [], 0
            while length < most and (piece := reader.read(min(_PIECE, most - length))):
                pieces.append(piece)
                length += len(piece)
    except zstandard.ZstdError as error:
        raise PackingError(f"cannot be unpacked: {error}") from error
    return b"".join(pieces)


def _whole(unpacking, unpacked: bytes, most: int) -> bytes:
    """What came out, where it is all there is or as much as may come."""
    if not unpacking.eof and len(unpacked) < most:
        raise EOFError("it ends too early")
    return unpacked


def _plain(content: bytes, most: int) -> bytes:
    return content[:most]


_UNPACKERS: dict[str, Callable[[bytes, int], bytes]] = {
    ".xz": _xz,
    ".gz": _gz,
    ".zst": _zst,
    ".lz4": _lz4,
    ".bz2": _bz2,
    "": _plain,
}

PACKED = tuple(ending for ending in _UNPACKERS if ending)
"""The endings of packed files that can be read."""
