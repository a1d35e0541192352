"""Hashes of contents, as a manifest writes them.

SHA-256 (FIPS 180-4), which coreutils and plain Python check too, marked as such; older
manifests have BLAKE3 without a mark, which stays readable. Of a file that is mostly a hole
the blocks that hold anything are hashed, each with its place: reading a terabyte of nothing
takes a quarter of an hour.
"""

import hashlib
import struct
from typing import Any

SHA256, SPARSE = "sha256:", "sha256-blocks:"
UNCHECKED = "unchecked"
BLOCK = 4096
_ZEROS = bytes(1 << 20)
_NOTHING = bytes(BLOCK)


class BlockDigest:
    """SHA-256 over the blocks that are not all zeros, each after its place (64 bits, little)."""

    name = SPARSE

    def __init__(self) -> None:
        self._digest = hashlib.sha256()
        self._at = 0

    def update(self, piece: bytes) -> None:
        """Add what stands next; it begins at a multiple of the block size."""
        for start in range(0, len(piece), BLOCK):
            block = piece[start : start + BLOCK]
            if block != _NOTHING[: len(block)]:
                self._digest.update(struct.pack("<Q", self._at + start) + block)
        self._at += len(piece)

    def skip(self, length: int) -> None:
        """Add so many zeros."""
        self._at += length

    def hexdigest(self) -> str:
        """The hash so far."""
        return self._digest.hexdigest()


class _NoDigest:
    """In the place of an older hash that is not at hand: what it is of cannot be checked."""

    name = "none"

    def update(self, piece: bytes) -> None:
        """Forget it."""

    def hexdigest(self) -> str:
        """What ``is_same`` takes for everything, and a comparison for nothing."""
        return UNCHECKED


def is_same(found: str, wanted: str) -> bool:
    """Whether a content is what it shall be, as far as that can be checked here."""
    return found in (wanted, UNCHECKED)


def new_digest(like: str = "") -> Any:
    """A digest of the kind that a manifest's text is of; SHA-256 where it is empty."""
    if not like or like.startswith(SHA256):
        return hashlib.sha256()
    if like.startswith(SPARSE):
        return BlockDigest()
    try:
        from blake3 import blake3
    except ImportError:
        return _NoDigest()
    return blake3()


def hash_of_whole(content: bytes, like: str = "") -> str:
    """What a manifest writes for a content that is at hand; ``like``: see new_digest."""
    if not like or like.startswith(SHA256):
        return SHA256 + hashlib.sha256(content).hexdigest()
    digest = new_digest(like)
    digest.update(content)
    return text_of(digest)


def add_zeros(digest: Any, length: int) -> None:
    """Add so many zeros to a digest."""
    if isinstance(digest, BlockDigest):
        digest.skip(length)
        return
    while length > 0:
        digest.update(_ZEROS[:length] if length < len(_ZEROS) else _ZEROS)
        length -= len(_ZEROS)


def text_of(digest: Any) -> str:
    """What a manifest writes for a digest."""
    mark = {"sha256": SHA256, SPARSE: SPARSE}.get(digest.name, "")
    return mark + digest.hexdigest()
