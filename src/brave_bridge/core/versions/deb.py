"""Ordering of Debian version strings (deb-version(7)) by precomputed sort keys.

A key is a byte string: comparing two keys byte by byte gives the order that the
manual page describes, so sorting and finding the newest need no comparison function.
"""

from functools import lru_cache

_TILDE = 1
_END = 2


def _order(character: str) -> int:
    if character == "~":
        return _TILDE
    if character.isascii() and character.isalpha():
        return ord(character)
    return 128 + min(ord(character), 127)


def _part_key(part: str) -> bytes:
    key = bytearray()
    position, length = 0, len(part)
    while True:
        start = position
        while position < length and not _is_digit(part[position]):
            position += 1
        key.extend(_order(character) for character in part[start:position])
        key.append(_END)
        start = position
        while position < length and _is_digit(part[position]):
            position += 1
        digits = part[start:position].lstrip("0")
        key += len(digits).to_bytes(2, "big")
        key += digits.encode("ascii")
        if position >= length:
            key.append(_END)
            return bytes(key)


def _is_digit(character: str) -> bool:
    return "0" <= character <= "9"


@lru_cache(maxsize=1 << 17)
def version_key(version: str) -> bytes:
    """The sort key of a version ``[epoch:]upstream[-revision]``.

    An absent epoch or revision counts as 0. Any string has a key: a malformed
    version is ordered by the same rules and never raises.
    """
    head, colon, rest = version.partition(":")
    epoch, rest = (head, rest) if colon else ("", version)
    upstream, dash, revision = rest.rpartition("-")
    if not dash:
        upstream, revision = rest, ""
    return _part_key(epoch) + _part_key(upstream) + _part_key(revision)


def newest(versions: list[str]) -> str:
    """The newest of several version strings; ValueError when there is none."""
    return max(versions, key=version_key)


def upstream_major(version: str) -> str:
    """The part of a version that names its major series: ``15`` of ``1:15.3-2``."""
    upstream = version.partition(":")[2] or version
    digits = ""
    for character in upstream:
        if not _is_digit(character):
            break
        digits += character
    return digits
