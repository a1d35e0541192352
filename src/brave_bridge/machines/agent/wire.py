"""Frames of JSON over pipes: a call goes one way, its answer comes back, nothing else.

A frame is its length (four bytes, big-endian) and a JSON value. Bytes are ``{"base64": text}``,
a dict whose keys are no strings is ``{"pairs": [[key, value], ...]}``, and a record of a kind
that has to be told from others says so in its field ``type``. Names of files that are no UTF-8
go through as the lone surrogates that Python has for them (PEP 383).
"""

import base64
import json
import re
import struct
from typing import Any, BinaryIO

_LENGTH = struct.Struct("!I")
MOST_BYTES = 256 << 20
"""Of one frame: a longer one is refused before it is read."""

MOST_DEPTH = 64
"""Lists and records in each other; a frame of more is refused before it is decoded."""

_TEXT = re.compile(rb'"(?:[^"\\]|\\.)*"')
_NO_BRACKETS = bytes(sorted(set(range(256)) - set(b"[]{}")))


_OWN_KEYS = ({"base64"}, {"pairs"})


class WireError(Exception):
    """What came is no frame, or the other end is gone in the middle of one."""


def send(stream: BinaryIO, message: Any) -> None:
    """Write a frame. OSError where the other end is gone."""
    frame = json.dumps(encoded(message)).encode("ascii")
    stream.write(_LENGTH.pack(len(frame)) + frame)
    stream.flush()


def receive(stream: BinaryIO, largest: int = MOST_BYTES) -> Any:
    """The next frame's value, of at most ``largest`` bytes; None where the other end is gone.

    WireError.
    """
    header = stream.read(_LENGTH.size)
    if not header:
        return None
    if len(header) < _LENGTH.size:
        raise WireError("it ended in a frame")
    length = _LENGTH.unpack(header)[0]
    if length > largest:
        raise WireError(f"a frame of {length} bytes")
    frame = stream.read(length)
    if len(frame) < length:
        raise WireError("it ended in a frame")
    if _is_too_deep(frame):
        raise WireError(f"a frame of more than {MOST_DEPTH} levels, or none")
    try:
        return json.loads(frame.decode("ascii"), object_hook=_decoded)
    except (ValueError, TypeError, RecursionError) as error:
        raise WireError(str(error)) from error


def _is_too_deep(frame: bytes) -> bool:
    """Whether lists and records stand in each other more often than any of ours do."""
    brackets = _TEXT.sub(b"", frame).translate(None, _NO_BRACKETS)
    for _ in range(MOST_DEPTH):
        if not brackets:
            return False
        brackets = brackets.replace(b"[]", b"").replace(b"{}", b"")
    return bool(brackets)


def encoded(value: Any) -> Any:
    """A value as JSON has it; records become dicts of their fields."""
    if isinstance(value, bytes):
        return {"base64": base64.b64encode(value).decode("ascii")}
    if hasattr(value, "__struct_fields__"):
        fields = {name: encoded(getattr(value, name)) for name in value.__struct_fields__}
        if getattr(getattr(value, "__struct_config__", None), "array_like", False):
            return list(fields.values())
        return {"type": type(value).__name__, **fields}
    if isinstance(value, dict):
        if all(isinstance(key, str) for key in value) and value.keys() not in _OWN_KEYS:
            return {key: encoded(inner) for key, inner in value.items()}
        return {"pairs": [[encoded(key), encoded(inner)] for key, inner in value.items()]}
    if isinstance(value, (list, tuple, set, frozenset)):
        return [encoded(inner) for inner in value]
    if value is None or isinstance(value, (str, int, float, bool)):
        return value
    return str(value)


def _decoded(value: dict) -> Any:
    if value.keys() == {"base64"}:
        return base64.b64decode(value["base64"], validate=True)
    if value.keys() == {"pairs"}:
        return {as_key(key): inner for key, inner in value["pairs"]}
    return value


def as_key(value: Any) -> Any:
    """A value that can be a key: lists have become tuples."""
    return tuple(map(as_key, value)) if isinstance(value, list) else value
