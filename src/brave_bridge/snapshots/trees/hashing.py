"""Hashes of contents, as a manifest writes them.

SHA-256 (FIPS 180-4), or BLAKE2b of 256 bits (RFC 7693) where the processor has no
instructions for the former: both are marked, and coreutils and plain Python check them too.
Older manifests have BLAKE3 without a mark, which stays readable. Of a file that is mostly a
hole the blocks that hold anything are hashed, each with its place: reading a terabyte of
nothing takes a quarter of an hour.
"""

import hashlib
import re
import struct
import sys
from functools import cache
from typing import Any

from brave_bridge.machines.opening.named import kernel_text

SHA256, BLAKE2, SPARSE = "sha256:", "blake2b:", "sha256-blocks:"
UNCHECKED = "unchecked"
"""What ``is_same`` takes for everything, and a comparison for nothing."""

UNKNOWN = "of no kind that is known"
_OLDER = re.compile(r"^[0-9a-f]{64}$")
"""BLAKE3, which the first versions wrote without a mark."""

BLOCK = 4096
_ZEROS = bytes(1 << 20)
_NOTHING = bytes(BLOCK)
_BLAKE2_BYTES = 32
_FIRST_PROCESSOR = 8192
"""Characters of /proc/cpuinfo that hold all about it."""

_TELLS_FEATURES = ("flags", "Features")
"""How x86 and ARM begin the line of /proc/cpuinfo that names what a processor can do."""
_HASHES_ITSELF = frozenset({"sha_ni", "sha2"})
_MARKS = {"sha256": SHA256, "blake2b": BLAKE2, SPARSE: SPARSE}


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
    """In the place of a hash that is not at hand; ``told`` stands for what it would be."""

    name = "none"

    def __init__(self, told: str) -> None:
        self._told = told

    def update(self, piece: bytes) -> None:
        """Forget it."""

    def hexdigest(self) -> str:
        """``UNCHECKED``, or what no content has."""
        return self._told


def is_same(found: str, wanted: str) -> bool:
    """Whether a content is what it shall be, as far as that can be checked here."""
    return found in (wanted, UNCHECKED)


def quicker_of(processor: str) -> str:
    """The mark of the hash that is quicker on a processor, as /proc/cpuinfo tells of it.

    SHA-256 by instructions of its own; without them BLAKE2b is, by half, on 64 bits.
    """
    told = [
        words.split()
        for name, _, words in (line.partition(":") for line in processor.splitlines())
        if name.strip() in _TELLS_FEATURES
    ]
    lacks = bool(told) and _HASHES_ITSELF.isdisjoint(told[0])
    return BLAKE2 if lacks and sys.maxsize > 1 << 32 else SHA256


@cache
def quicker_here() -> str:
    """The mark of what new contents are hashed with: the quicker one that is allowed here."""
    # The first processor is enough: for hundreds of them the kernel takes its time.
    kind = quicker_of(kernel_text("/proc/cpuinfo", _FIRST_PROCESSOR))
    try:
        # Refused where only what FIPS 140 approves of may be used.
        _blake2()
    except ValueError:
        return SHA256
    return kind


def _blake2(content: bytes = b"") -> Any:
    return hashlib.blake2b(content, digest_size=_BLAKE2_BYTES)


def new_digest(like: str = "") -> Any:
    """A digest of the kind that a manifest's text is of; where it is empty the quicker one.

    What cannot be had here says so in the place of a hash (see is_same); what is of no kind that
    is known is never the same.
    """
    like = like or quicker_here()
    if like.startswith(SHA256):
        return hashlib.sha256()
    if like.startswith(SPARSE):
        return BlockDigest()
    if like.startswith(BLAKE2):
        try:
            return _blake2()
        except ValueError:
            return _NoDigest(UNCHECKED)
    if not _OLDER.match(like):
        # Whatever it is a mark of, no version of ours has written it.
        return _NoDigest(UNKNOWN)
    try:
        from blake3 import blake3
    except ImportError:
        return _NoDigest(UNCHECKED)
    return blake3()


def hash_of_whole(content: bytes, like: str = "") -> str:
    """What a manifest writes for a content that is at hand; ``like``: see new_digest."""
    like = like or quicker_here()
    if like.startswith(SHA256):
        return SHA256 + hashlib.sha256(content).hexdigest()
    if like.startswith(BLAKE2):
        try:
            return BLAKE2 + _blake2(content).hexdigest()
        except ValueError:
            return UNCHECKED
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
    return _MARKS.get(digest.name, "") + digest.hexdigest()
