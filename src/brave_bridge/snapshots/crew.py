"""Work on the folders of a tree, shared among processes.

A job is plain data; ``begin`` makes a worker of it, in this process or in another. A
worker does one item at a time and may find further items. Small work is done right here;
only what takes longer is shared with helpers, which end with this process.
"""

import os
import selectors
import struct
import subprocess
import sys
from collections import deque
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from time import monotonic
from typing import Any, ClassVar, Generic, Protocol, TypeVar

import msgspec

HELPERS = 4
ALONE_SECONDS = 0.25
"""How long this process works alone before it calls helpers: they take a moment to start."""

_LARGEST_HANDFUL = 24
_HEADER = struct.Struct("!I")


class Job(Protocol):
    """What is to be done with each item: plain data, so that it can be sent."""

    item: ClassVar[Any]
    """The type of an item."""

    result: ClassVar[Any]
    """The type of what comes of an item."""

    def begin(self, number: int) -> "Worker":
        """A worker for it; ``number`` tells the processes of one crew apart."""


class Worker(Protocol):
    """Somebody who does a job's items."""

    def do(self, item: Any) -> Any:
        """What came of an item; its ``more`` are further items."""

    def end(self) -> None:
        """Close what is open."""


class CrewFailed(OSError):
    """A helper ended before its work was done."""


def carry_out(job: Job, items: Iterable[Any], helpers: int = HELPERS) -> Iterator[Any]:
    """The results of a job's items and of all that these lead to, in no certain order.

    OSError or ValueError of a worker is raised here.
    """
    pending = deque(items)
    until = monotonic() + ALONE_SECONDS
    worker = job.begin(0)
    try:
        while pending and (not helpers or monotonic() < until):
            result = worker.do(pending.pop())
            pending.extend(result.more)
            yield result
    finally:
        worker.end()
    if pending:
        yield from _share(job, pending, helpers)


def _share(job: Job, pending: deque, helpers: int) -> Iterator[Any]:
    with _helpers(job, helpers) as (crew, ready):
        idle, at_work = list(crew), {}
        while pending or at_work:
            while idle and pending:
                helper = idle.pop()
                size = max(1, min(_LARGEST_HANDFUL, len(pending) // (2 * len(crew))))
                handful = [pending.pop() for _ in range(min(size, len(pending)))]
                send(helper.stdin, handful)
                at_work[helper.stdout] = helper
            for key, _ in ready.select():
                if key.fileobj not in at_work:
                    continue
                for result in _answer(key.fileobj, job):
                    pending.extend(result.more)
                    yield result
                idle.append(at_work.pop(key.fileobj))


def _answer(stream, job: Job) -> list[Any]:
    frame = receive(stream)
    if frame is None:
        raise CrewFailed(5, "a helper process ended before its work was done")
    answer = msgspec.msgpack.decode(frame, type=Answer[job.result])
    if answer.fault:
        raise answer.fault.as_error()
    return answer.results


@contextmanager
def _helpers(job: Job, count: int):
    crew = []
    ready = selectors.DefaultSelector()
    try:
        for number in range(1, count + 1):
            helper = subprocess.Popen(
                [sys.executable, "-m", "brave_bridge.snapshots.helper"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                cwd="/",
            )
            crew.append(helper)
            ready.register(helper.stdout, selectors.EVENT_READ)
            send(helper.stdin, (number, os.getpid(), job))
        yield crew, ready
    finally:
        ready.close()
        for helper in crew:
            helper.stdin.close()
        for helper in crew:
            helper.stdout.close()
            helper.wait()


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
    """What a helper says to a handful of items."""

    results: list[Result] = []
    fault: Fault | None = None


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
