"""The kernel modules in an initial file system (initrd): cpio archives, one behind the other.

Follows the kernel's buffer format (Documentation/driver-api/early-userspace/buffer-format) with
its ways of packing: gzip, xz, zstd, bzip2 and lz4 in its legacy framing (lz4 frame format).
"""

import bz2
import gzip
import io
import lzma
import struct
import zlib
from collections.abc import Iterator
from typing import Protocol

from brave_bridge.core.formats.kernel_modules import module_name
from brave_bridge.core.formats.packing import PackingError

_CPIO = (b"070701", b"070702")
_HEADER = 110
_LONGEST_NAME = 4096
_TRAILER = "TRAILER!!!"
_PIECE = 1 << 20
_MOST_UNPACKED = 4 << 30
_LZ4_LEGACY, _LZ4_BLOCK = b"\x02\x21\x4c\x18", 8 << 20


def modules_in(content: bytes) -> set[str]:
    """The names of the modules in it (``module_name``).

    PackingError where it is damaged, or packed in a way that is not known here.
    """
    found = set()
    for path in _paths(content):
        stem, is_module, packing = path.rpartition("/")[2].partition(".ko")
        if is_module and packing in ("", ".xz", ".zst", ".gz"):
            found.add(module_name(stem))
    return found


def _paths(content: bytes) -> Iterator[str]:
    """The names in every archive; an archive that is packed is the last."""
    at = 0
    while at < len(content):
        if content[at] == 0:
            at += 1
        elif content[at : at + 6] in _CPIO:
            stream = io.BytesIO(content)
            stream.seek(at)
            yield from _names(_Bounded(stream))
            at = stream.tell()
        else:
            yield from _in_packed(content[at:])
            return


def _in_packed(content: bytes) -> Iterator[str]:
    try:
        stream = _Bounded(_opened(content))
        while name := stream.first_of_an_archive():
            yield from _names(stream, name)
    except (lzma.LZMAError, zlib.error, EOFError, OSError, RuntimeError) as error:
        raise PackingError(f"cannot be unpacked: {error}") from error


class _Readable(Protocol):
    def read(self, size: int, /) -> bytes: ...


def _opened(content: bytes) -> _Readable:
    packed = io.BytesIO(content)
    if content.startswith(b"\x1f\x8b"):
        return gzip.GzipFile(fileobj=packed)
    if content.startswith(b"\xfd7zXZ"):
        return lzma.LZMAFile(packed)
    if content.startswith(b"BZh"):
        return bz2.BZ2File(packed)
    if content.startswith(b"\x28\xb5\x2f\xfd"):
        import zstandard

        unpacking = zstandard.ZstdDecompressor(max_window_size=1 << 27)
        return unpacking.stream_reader(packed, read_across_frames=True)
    if content.startswith(_LZ4_LEGACY):
        return io.BytesIO(b"".join(_lz4_blocks(content)))
    raise PackingError("is packed in a way that is not known")


def _lz4_blocks(content: bytes) -> Iterator[bytes]:
    import lz4.block

    at, size = len(_LZ4_LEGACY), 0
    while at + 4 <= len(content) and size < _MOST_UNPACKED >> 2:
        (length,) = struct.unpack_from("<I", content, at)
        block = lz4.block.decompress(content[at + 4 : at + 4 + length], _LZ4_BLOCK)
        at, size = at + 4 + length, size + len(block)
        yield block


class _Bounded:
    """A stream that is read from front to back, never more than a bound of it."""

    def __init__(self, stream: _Readable) -> None:
        self._stream = stream
        self._left = _MOST_UNPACKED

    def exactly(self, size: int) -> bytes:
        """So many bytes; PackingError where there are fewer."""
        pieces, missing = [], size
        while missing and (piece := self._stream.read(min(missing, self._left, _PIECE))):
            self._left -= len(piece)
            missing -= len(piece)
            pieces.append(piece)
        if missing:
            raise PackingError("ends too early")
        return b"".join(pieces)

    def skip(self, size: int) -> None:
        """Pass over so many bytes."""
        while size:
            size -= len(self.exactly(min(size, _PIECE)))

    def first_of_an_archive(self) -> bytes:
        """The magic of the next archive behind the zeros that fill up; empty at the end."""
        while piece := self._stream.read(1):
            if piece != b"\0":
                magic = piece + self.exactly(5)
                if magic not in _CPIO:
                    raise PackingError("holds no archive")
                return magic
        return b""


def _names(stream: _Bounded, magic: bytes = b"") -> Iterator[str]:
    """The names in one archive, as far as its trailer."""
    while True:
        header = (magic or stream.exactly(6)) + stream.exactly(_HEADER - 6)
        magic = b""
        if header[:6] not in _CPIO:
            raise PackingError("holds no archive")
        try:
            size, length = int(header[54:62], 16), int(header[94:102], 16)
        except ValueError as error:
            raise PackingError("has a damaged header") from error
        if not 0 < length <= _LONGEST_NAME:
            raise PackingError("has a damaged header")
        name = stream.exactly(length)[:-1].decode("utf-8", "replace")
        stream.skip(-(_HEADER + length) % 4)
        if name == _TRAILER:
            return
        yield name
        stream.skip(size + -size % 4)
