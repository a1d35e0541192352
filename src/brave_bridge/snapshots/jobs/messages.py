"""What a crew and its helpers say to each other, over pipes."""

import struct
from typing import Any, Generic, TypeVar

import msgspec

_HEADER = struct.Struct("!I")


class Begin(msgspec.Struct, tag=True):
    """To a helper: its number, the process that it works for, and the job that comes next."""

    number: int
    parent: int
    job: Any


class Items(msgspec.Struct, tag=True):
    """To a helper: items of its job, encoded, since only the job tells what they are."""

    items: msgspec.Raw


class Fault(msgspec.Struct):
    """An error of a helper: its number, what it says, and which path it is about.

    Without a number it is a ValueError: what was read makes no sense.
    """

    code: int
    words: str
    path: str = ""

    def as_error(self) -> Exception:
        """The error again."""
        if not self.code:
            return ValueError(self.words)
        return OSError(self.code, self.words, self.path or None)


Result = TypeVar("Result")


class Answer(msgspec.Struct, Generic[Result]):
    """What a helper says to a handful of items.

    ``waited``: it waited for a disk longer than it worked.
    """

    results: list[Result] = []
    fault: Fault | None = None
    waited: bool = False


def send(stream, message: Any) -> None:
    """Write a message to a pipe."""
    frame = msgspec.msgpack.encode(message)
    stream.write(_HEADER.pack(len(frame)) + frame)
    stream.flush()


def receive(stream) -> bytes | None:
    """The next message of a pipe; None where the other end is gone."""
    header = stream.read(_HEADER.size)
    if len(header) < _HEADER.size:
        return None
    length = _HEADER.unpack(header)[0]
    frame = stream.read(length)
    return frame if len(frame) == length else None
