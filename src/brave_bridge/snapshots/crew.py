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
from time import monotonic
from typing import Any, ClassVar, Generic, Protocol, TypeVar

import msgspec

HELPERS = 2
_MORE_WHERE_THEY_WAIT = 2
"""So many times as many helpers where a disk, not the processor, is what takes the time."""

ALONE_SECONDS = 0.1
"""How long this process works alone before it calls helpers."""

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
            yield _done_here(worker, pending)
        if pending:
            yield from _share(job, pending, helpers, worker)
    finally:
        worker.end()


def _done_here(worker: Worker, pending: deque) -> Any:
    result = worker.do(pending.pop())
    pending.extend(result.more)
    return result


def most_helpers(helpers: int) -> int:
    """How many there may become."""
    return helpers * _MORE_WHERE_THEY_WAIT


def _share(job: Job, pending: deque, helpers: int, worker: Worker) -> Iterator[Any]:
    """Let helpers go on; ``worker``, of this process, works until the first has answered."""
    with _Crew(job, helpers) as crew:
        while pending or crew.at_work:
            crew.hand_out(pending)
            while pending and not crew.has_answered:
                yield _done_here(worker, pending)
            for answer in crew.answers():
                for result in answer.results:
                    pending.extend(result.more)
                    yield result


class _Crew:
    """Helper processes: a few at first, more where the disk keeps them waiting."""

    def __init__(self, job: Job, helpers: int) -> None:
        self.job = job
        self.most = most_helpers(helpers)
        self.at_work: dict[Any, subprocess.Popen] = {}
        self._all: list[subprocess.Popen] = []
        self._idle: list[subprocess.Popen] = []
        self._ready = selectors.DefaultSelector()
        self._first = helpers
        self._answered = False

    def __enter__(self) -> "_Crew":
        for _ in range(self._first):
            self._call_one()
        return self

    def __exit__(self, *_error) -> None:
        self._ready.close()
        for helper in self._all:
            helper.stdin.close()
        for helper in self._all:
            helper.stdout.close()
            helper.wait()

    def _call_one(self) -> None:
        helper = subprocess.Popen(
            [sys.executable, "-m", "brave_bridge.snapshots.helper"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            cwd="/",
        )
        self._all.append(helper)
        self._idle.append(helper)
        self._ready.register(helper.stdout, selectors.EVENT_READ)
        send(helper.stdin, (len(self._all), os.getpid(), self.job))

    def hand_out(self, pending: deque) -> None:
        """Give every idle helper a handful."""
        while self._idle and pending:
            helper = self._idle.pop()
            size = max(1, min(_LARGEST_HANDFUL, len(pending) // (2 * len(self._all))))
            send(helper.stdin, [pending.pop() for _ in range(min(size, len(pending)))])
            self.at_work[helper.stdout] = helper

    @property
    def has_answered(self) -> bool:
        """Whether any helper has something to say, or had."""
        if not self._answered:
            self._answered = bool(self._ready.select(timeout=0))
        return self._answered

    def answers(self) -> Iterator["Answer"]:
        """What helpers have to say, once at least one has."""
        for key, _ in self._ready.select():
            if key.fileobj in self.at_work:
                answer = _answer(key.fileobj, self.job)
                self._idle.append(self.at_work.pop(key.fileobj))
                if answer.waited and len(self._all) < self.most:
                    self._call_one()
                yield answer


def _answer(stream, job: Job) -> "Answer":
    frame = receive(stream)
    if frame is None:
        raise CrewFailed(5, "a helper process ended before its work was done")
    answer = msgspec.msgpack.decode(frame, type=Answer[job.result])
    if answer.fault:
        raise answer.fault.as_error()
    return answer


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
    """What a helper says to a handful of items; ``waited``: it waited longer than it worked."""

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
