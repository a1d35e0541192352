"""Reading an image bundle: a tar that is taken as a stream, and believed in nothing.

Its members are the manifest, the manifest's signature, and each component once, in the manifest's
order; all are regular files with plain names (POSIX.1-2017, pax, "ustar Interchange Format"). Every
name, size and sum is held against the signed manifest before a byte of it is passed on.
"""

import hashlib
from collections.abc import Callable, Iterator
from typing import BinaryIO

import msgspec

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.signatures import verified
from brave_bridge.core.images.manifest import (
    LARGEST_MANIFEST,
    MANIFEST,
    SIGNATURE,
    Component,
    Manifest,
    ManifestFault,
    read_manifest,
)

_BLOCK = 512
_PIECE = 1 << 20
_LARGEST_SIGNATURE = 64_000

Take = Callable[[Component, bytes], None]
"""Is given each component's content, piece by piece; nothing is true before its last one."""


class Announced(msgspec.Struct, frozen=True):
    """What a bundle announces: its manifest, and the fingerprints of who signed it."""

    manifest: Manifest
    signed_by: tuple[str, ...]


class BundleReader:
    """One pass over a bundle. ``newest`` is the highest serial that the machine has ever taken.

    ArchiveFault where the bundle is not what it must be; then nothing of it may be used.
    """

    def __init__(self, stream: BinaryIO, keyrings: list[bytes], line: str, newest: int = 0) -> None:
        self._stream = stream
        self._keyrings = keyrings
        self._line = line
        self._newest = newest

    def announced(self) -> Announced:
        """What it announces; the first thing to be read."""
        content = self._whole(MANIFEST, LARGEST_MANIFEST)
        signature = self._whole(SIGNATURE, _LARGEST_SIGNATURE)
        _, signed_by = verified(content, self._keyrings, signature)
        try:
            manifest = read_manifest(content)
        except ManifestFault as fault:
            raise ArchiveFault("format", str(fault), MANIFEST) from fault
        if manifest.line != self._line:
            seen = f"it is for {manifest.line}, not for {self._line}"
            raise ArchiveFault("identity", seen, MANIFEST)
        if manifest.serial < self._newest:
            seen = f"its serial is {manifest.serial}, and {self._newest} was here already"
            raise ArchiveFault("older", seen, MANIFEST)
        return Announced(manifest, signed_by)

    def components(self, manifest: Manifest, take: Take) -> None:
        """Pass every component on, and see that there is nothing else."""
        for component in manifest.components:
            name, size = self._header()
            if name != component.member:
                seen = f"{component.member} comes next, and it has {name or 'its end'}"
                raise ArchiveFault("format", seen)
            if size != component.size:
                seen = f"{component.size} bytes were announced, it has {size}"
                raise ArchiveFault("size", seen, name)
            digest = hashlib.sha256()
            for piece in self._content(name, size):
                digest.update(piece)
                take(component, piece)
            if digest.hexdigest() != component.sha256:
                raise ArchiveFault("checksum", "its sum is not the announced one", name)
        name, _ = self._header()
        if name:
            raise ArchiveFault("format", f"it has {name}, which nobody announced")

    def _whole(self, wanted: str, largest: int) -> bytes:
        name, size = self._header()
        if name != wanted:
            raise ArchiveFault("format", f"it is no bundle: {wanted} must come here, not {name!r}")
        if size > largest:
            raise ArchiveFault("size", f"{size} bytes, {largest} at most", name)
        return b"".join(self._content(name, size))

    def _header(self) -> tuple[str, int]:
        """The next member's name and size; an empty name at the end."""
        block = self._exactly(_BLOCK)
        if block == bytes(_BLOCK):
            return "", 0
        summed = sum(block[:148]) + 8 * ord(" ") + sum(block[156:])
        try:
            if int(block[148:156].rstrip(b" \0") or b"x", 8) != summed:
                raise ValueError("its sum")
            size = int(block[124:136].rstrip(b" \0") or b"x", 8)
            name = block[:100].rstrip(b"\0").decode("ascii")
        except (ValueError, UnicodeDecodeError) as error:
            raise ArchiveFault("format", "it is no tar as a bundle is one") from error
        prefix, kind = block[345:500].rstrip(b"\0"), block[156:157]
        if kind not in (b"0", b"\0") or prefix or size < 0:
            raise ArchiveFault("format", f"{name[:80]!r} is no regular file with a plain name")
        return name, size

    def _content(self, name: str, size: int) -> Iterator[bytes]:
        left = size
        while left:
            piece = self._stream.read(min(left, _PIECE))
            if not piece:
                raise ArchiveFault("size", f"it ends {left} bytes early", name)
            left -= len(piece)
            yield piece
        self._exactly(-size % _BLOCK)

    def _exactly(self, count: int) -> bytes:
        pieces: list[bytes] = []
        while count:
            piece = self._stream.read(count)
            if not piece:
                raise ArchiveFault("size", "it ends too early")
            pieces.append(piece)
            count -= len(piece)
        return b"".join(pieces)
