"""Ordering of rpm versions (rpm-version(7)) by precomputed sort keys."""

import re
from functools import lru_cache

from brave_bridge.core.versions.evr import Key, evr_key

_SEGMENTS = re.compile(r"[0-9]+|[a-zA-Z]+|~|\^")
_TILDE, _END, _CARET, _LETTERS, _NUMBER = b"\1", b"\2", b"\3", b"\4", b"\5"


@lru_cache(maxsize=1 << 16)
def _part_key(part: str) -> bytes:
    """One part: before its end comes a tilde, after it a caret, then letters, then numbers."""
    pieces = []
    for segment in _SEGMENTS.findall(part):
        if segment == "~":
            pieces.append(_TILDE)
        elif segment == "^":
            pieces.append(_CARET)
        elif segment[0].isdigit():
            digits = segment.lstrip("0")
            pieces.append(_NUMBER + len(digits).to_bytes(4, "big") + digits.encode())
        else:
            pieces.append(_LETTERS + segment.encode() + b"\0")
    return b"".join(pieces) + _END


@lru_cache(maxsize=1 << 17)
def version_key(version: str) -> Key:
    """The sort key of ``[epoch:]version[-release]``; an absent epoch counts as 0.

    Any string has a key: a malformed version never raises.
    """
    return evr_key(version, _part_key)
