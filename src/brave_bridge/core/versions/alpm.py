"""Ordering of alpm versions (vercmp(8)) by precomputed sort keys."""

import re
from functools import lru_cache

from brave_bridge.core.versions.evr import Key, evr_key

_SEGMENTS = re.compile(r"([^0-9a-zA-Z]*)([0-9]+|[a-zA-Z]+|$)")
_LETTERS_AT_ONCE, _END, _GOES_ON = b"\1", b"\2", b"\3"
_LETTERS, _NOTHING, _NUMBER = b"\1", b"\2", b"\3"


@lru_cache(maxsize=1 << 16)
def _part_key(part: str) -> bytes:
    """One part. Letters right behind a segment make it older than its end: 1.0rc1 < 1.0."""
    pieces = []
    for separators, segment in _SEGMENTS.findall(part):
        gap = len(separators).to_bytes(2, "big")
        if not segment:
            pieces.append(_GOES_ON + b"\0\1" + _NOTHING if separators else _END)
        elif segment[0].isdigit():
            digits = segment.lstrip("0")
            value = len(digits).to_bytes(4, "big") + digits.encode()
            pieces.append(_GOES_ON + gap + _NUMBER + value)
        else:
            before = _GOES_ON + gap + _LETTERS if separators else _LETTERS_AT_ONCE
            pieces.append(before + segment.encode() + b"\0")
    return b"".join(pieces)


@lru_cache(maxsize=1 << 17)
def version_key(version: str) -> Key:
    """The sort key of ``[epoch:]version[-release]``; an absent epoch counts as 0.

    Any string has a key: a malformed version never raises.
    """
    return evr_key(version, _part_key)
