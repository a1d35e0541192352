"""Looking into a package file (deb(5)) without unpacking it: one file of it, or its scripts."""

import gzip
import io
import lzma
import tarfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import BinaryIO

import zstandard

from brave_bridge.archives.fault import ArchiveFault

_MAGIC = b"!<arch>\n"
_HEADER = 60
_SCRIPTS = ("preinst", "postinst", "prerm", "postrm")
_MOST_UNPACKED = 4 << 30
"""Bytes that may be unpacked in search of one file; the largest packages hold less."""


def file_in_deb(content: bytes, path: str, most: int = 4_000_000) -> bytes | None:
    """A regular file that a package ships, None where it ships none there.

    ArchiveFault where it is no package, damaged, or the file is longer than ``most``.
    """
    with _tar_in(content, "data.tar") as archive:
        for info in archive:
            if _plain_name(info) != path.lstrip("/"):
                continue
            return _content(archive, info, most) if info.isreg() else None
    return None


def files_in_deb(
    content: bytes, wanted: Callable[[str], bool], most: int = 64_000_000
) -> Iterator[tuple[str, bytes]]:
    """The regular files that a package ships and whose names are wanted, as they come.

    ArchiveFault as above.
    """
    with _tar_in(content, "data.tar") as archive:
        for info in archive:
            name = f"/{_plain_name(info)}"
            if info.isreg() and wanted(name):
                yield name, _content(archive, info, most)


def scripts_in_deb(content: bytes, most: int = 1_000_000) -> dict[str, str]:
    """The maintainer scripts of a package by name, each as text; ArchiveFault as above."""
    found = {}
    with _tar_in(content, "control.tar") as archive:
        for info in archive:
            if _plain_name(info) in _SCRIPTS and info.isreg():
                text = _content(archive, info, most)
                found[_plain_name(info)] = text.decode("utf-8", "replace")
    return found


@contextmanager
def _tar_in(content: bytes, wanted: str) -> Iterator[tarfile.TarFile]:
    """The archive of a package's content or of its control files, read from front to back."""
    try:
        for name, data in _members(content):
            if name.startswith(wanted):
                stream = _Bounded(_opened(name.removeprefix(wanted), data))
                with tarfile.open(fileobj=stream, mode="r|") as archive:
                    yield archive
                return
    except (tarfile.TarError, lzma.LZMAError, zstandard.ZstdError, EOFError, OSError) as error:
        raise ArchiveFault("format", f"the package cannot be unpacked: {error}") from error
    raise ArchiveFault("format", "it is no package file")


def _plain_name(info: tarfile.TarInfo) -> str:
    return info.name.removeprefix("./").lstrip("/")


def _content(archive: tarfile.TarFile, info: tarfile.TarInfo, most: int) -> bytes:
    if info.size > most:
        raise ArchiveFault("size", f"{info.name} has {info.size} bytes")
    return archive.extractfile(info).read()


def _members(content: bytes) -> Iterator[tuple[str, bytes]]:
    """The members of an ar archive: name and content."""
    if not content.startswith(_MAGIC):
        return
    at = len(_MAGIC)
    while at + _HEADER <= len(content):
        header = content[at : at + _HEADER]
        length = header[48:58].strip()
        if not length.isdigit():
            return
        size = int(length)
        yield (
            header[:16].decode("ascii", "replace").strip().rstrip("/"),
            content[at + _HEADER : at + _HEADER + size],
        )
        at += _HEADER + size + size % 2


def _opened(ending: str, data: bytes) -> BinaryIO:
    packed = io.BytesIO(data)
    if ending == ".xz":
        return lzma.LZMAFile(packed)
    if ending == ".gz":
        return gzip.GzipFile(fileobj=packed)
    if ending == ".zst":
        return zstandard.ZstdDecompressor(max_window_size=1 << 27).stream_reader(packed)
    if ending:
        raise ArchiveFault("format", f"its content is packed in a way not known: {ending}")
    return packed


class _Bounded:
    """A stream of which no more than a bound is ever read."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream
        self._left = _MOST_UNPACKED

    def read(self, size: int) -> bytes:
        piece = self._stream.read(min(size, self._left))
        self._left -= len(piece)
        return piece
