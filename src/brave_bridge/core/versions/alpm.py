"""Ordering of alpm versions (vercmp(8)) by precomputed sort keys.

Separators at the end of a version have no place in any order of keys: to vercmp 1.0. is newer
than 1.0..a, that than 1.0.1, and that than 1.0. again. Such versions are compared step by step.
"""

import re
from functools import lru_cache, total_ordering

from brave_bridge.core.versions.evr import split_evr

_SEGMENTS = re.compile(r"([^0-9a-zA-Z]*)([0-9]+|[a-zA-Z]+|$)")
_LETTERS_AT_ONCE, _END, _GOES_ON = b"\1", b"\2", b"\3"
_LETTERS, _NOTHING, _NUMBER = b"\1", b"\2", b"\3"

Segments = list[tuple[str, str]]
"""Separators and the digits or letters after them; both are empty, or the latter, at the end."""


@total_ordering
class Part:
    """A version (with its epoch), or a release, in its place in the order."""

    __slots__ = ("ends_oddly", "key", "pieces")

    def __init__(self, *texts: str) -> None:
        self.pieces = [_segments(text) for text in texts]
        self.key = b"".join(_key(segments) for segments in self.pieces)
        self.ends_oddly = any(segments[-1] != ("", "") for segments in self.pieces)

    def _compare(self, other: "Part") -> int:
        for ours, theirs in zip(self.pieces, other.pieces, strict=True):
            found = _compare(ours, theirs)
            if found:
                return found
        return 0

    def __lt__(self, other: object) -> bool:
        if not isinstance(other, Part):
            return NotImplemented
        if self.ends_oddly or other.ends_oddly:
            return self._compare(other) < 0
        return self.key < other.key

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Part):
            return NotImplemented
        if self.ends_oddly or other.ends_oddly:
            return self._compare(other) == 0
        return self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)


def _segments(text: str) -> Segments:
    found = _SEGMENTS.findall(text)
    # After separators at the end the pattern finds the very end once more.
    return found[:-1] if len(found) > 1 and not found[-2][1] else found


def _key(segments: Segments) -> bytes:
    """Letters right behind a segment make it older than its end: 1.0rc1 < 1.0."""
    pieces = []
    for separators, segment in segments:
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


def _compare(ours: Segments, theirs: Segments) -> int:
    """As vercmp does it, segment by segment: negative, 0 or positive."""
    for (gap, mine), (other_gap, other) in zip(ours, theirs, strict=False):
        at_end, other_at_end = not (gap or mine), not (other_gap or other)
        if at_end or other_at_end:
            if at_end and other_at_end:
                return 0
            return _last_word(gap + mine, other_gap + other)
        if not (mine and other):
            return 0 if mine == other else _last_word(mine, other)
        if len(gap) != len(other_gap):
            return len(gap) - len(other_gap)
        found = _compare_segments(mine, other)
        if found:
            return found
    return 0


def _last_word(mine: str, other: str) -> int:
    """One has come to its end: what is left of the other makes it newer, but letters older."""
    if (not mine and not other[:1].isalpha()) or mine[:1].isalpha():
        return -1
    return 1


def _compare_segments(mine: str, other: str) -> int:
    if mine[0].isdigit() != other[0].isdigit():
        return 1 if mine[0].isdigit() else -1
    if mine[0].isdigit():
        mine, other = mine.lstrip("0"), other.lstrip("0")
        if len(mine) != len(other):
            return len(mine) - len(other)
    return (mine > other) - (mine < other)


@lru_cache(maxsize=1 << 17)
def version_key(version: str) -> tuple[Part, ...]:
    """The sort key of ``[epoch:]version[-release]``; an absent epoch counts as 0.

    Any string has a key: a malformed version never raises.
    """
    epoch, upstream, release = split_evr(version)
    whole = Part(epoch, upstream)
    return (whole,) if release is None else (whole, Part(release))
