"""Ordering of Debian version strings (deb-version(7)) by precomputed sort keys.

A key is a byte string: comparing two keys byte by byte gives the order that the
manual page describes, so sorting and finding the newest need no comparison function.
"""

import re
from functools import lru_cache

_TILDE = 1
_END = b"\2"
# The last match of every text is the empty one at its end.
_PIECES = re.compile(r"([^0-9]*)([0-9]*)")


def _order(code: int) -> int:
    character = chr(code)
    if character == "~":
        return _TILDE
    return code if character.isascii() and character.isalpha() else 128 + min(code, 127)


_ORDER = bytes(_order(code) for code in range(256))


@lru_cache(maxsize=1 << 16)
def _part_key(part: str) -> bytes:
    pieces = []
    found = _PIECES.findall(part)
    for text, digits in found[: max(len(found) - 1, 1)]:
        digits = digits.lstrip("0")
        pieces.append(
            text.encode("latin-1", "replace").translate(_ORDER)
            + _END
            + len(digits).to_bytes(2, "big")
            + digits.encode("ascii")
        )
    return b"".join(pieces) + _END


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


def upstream_series(version: str, numbers: int = 1) -> str:
    """The first numbers of a version, which name its series: ``15`` of ``1:15.3-2``.

    With two numbers it is ``10.11`` of ``1:10.11.3-1``.
    """
    upstream = version.partition(":")[2] or version
    match = re.match(rf"\d+(?:\.\d+){{0,{numbers - 1}}}", upstream)
    return match[0] if match else ""
