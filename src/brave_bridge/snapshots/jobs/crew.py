"""Work on the folders of a tree, shared among processes.

A job is plain data; ``begin`` makes a worker of it, in this process or in another. A
worker does one item at a time and may find further items. Small work is done right here;
only what takes longer is shared with helpers, which end with this process.
"""

import contextlib
import os
import selectors
from collections import deque
from collections.abc import Iterable, Iterator
from time import monotonic
from typing import Any, ClassVar, Protocol

import msgspec

from brave_bridge.snapshots.jobs.calling import Helper, called
from brave_bridge.snapshots.jobs.messages import Answer, Begin, Items, receive, send

HELPERS = 2
_MORE_WHERE_THEY_WAIT = 2
"""So many times as many helpers where a disk, not the processor, is what takes the time."""

ALONE_SECONDS = 0.03
"""How long this process works alone before it calls helpers."""

_LARGEST_HANDFUL = 24


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


def carry_out(job: Job, items: Iterable[Any], helpers: "int | Crew" = HELPERS) -> Iterator[Any]:
    """The results of a job's items and of all that these lead to, in no certain order.

    ``helpers``: how many are called where they are worth it, or a crew for several jobs.
    OSError or ValueError of a worker is raised here.
    """
    if isinstance(helpers, Crew):
        yield from helpers.carry_out(job, items)
        return
    with Crew(helpers) as crew:
        yield from crew.carry_out(job, items)


def most_helpers(helpers: int) -> int:
    """How many there may become."""
    return helpers * _MORE_WHERE_THEY_WAIT


class Crew:
    """This process and its helpers: a few at first, more where the disk keeps them waiting.

    They are called when a job turns out to be long, and stay for the jobs after it.
    """

    def __init__(self, helpers: int = HELPERS) -> None:
        self._first = helpers
        self._most = most_helpers(helpers)
        self._all: list[Helper] = []
        self._idle: list[Helper] = []
        self._at_work: dict[Any, Helper] = {}
        self._ready = selectors.DefaultSelector()
        self._answered = False
        self._job: Job

    def __enter__(self) -> "Crew":
        return self

    def __exit__(self, *_error) -> None:
        self._dismiss()
        self._ready.close()

    def carry_out(self, job: Job, items: Iterable[Any]) -> Iterator[Any]:
        """See carry_out. A crew does one job at a time."""
        pending = deque(items)
        until = monotonic() if self._all else monotonic() + ALONE_SECONDS
        worker = job.begin(0)
        try:
            while pending and (not self._first or monotonic() < until):
                yield _done_here(worker, pending)
            if pending:
                yield from self._share(job, pending, worker)
        finally:
            worker.end()
            if self._at_work:
                # What they still say would be taken for answers to the next job.
                self._dismiss()

    def _share(self, job: Job, pending: deque, worker: Worker) -> Iterator[Any]:
        """Let helpers go on; ``worker``, of this process, works until the first has answered."""
        self._job, self._answered = job, False
        for number, helper in enumerate(self._all, 1):
            send(helper.stdin, Begin(number, os.getpid(), job))
        while len(self._all) < self._first:
            self._call_one()
        while pending or self._at_work:
            self._hand_out(pending)
            while pending and not self._has_answered():
                yield _done_here(worker, pending)
            for answer in self._answers():
                for result in answer.results:
                    pending.extend(result.more)
                    yield result

    def _call_one(self) -> None:
        helper = called()
        self._all.append(helper)
        self._idle.append(helper)
        self._ready.register(helper.stdout, selectors.EVENT_READ)
        send(helper.stdin, Begin(len(self._all), os.getpid(), self._job))

    def _hand_out(self, pending: deque) -> None:
        """Give every idle helper a handful."""
        while self._idle and pending:
            helper = self._idle.pop()
            size = max(1, min(_LARGEST_HANDFUL, len(pending) // (2 * len(self._all))))
            items = [pending.pop() for _ in range(min(size, len(pending)))]
            self._at_work[helper.stdout] = helper
            send(helper.stdin, Items(msgspec.Raw(msgspec.msgpack.encode(items))))

    def _has_answered(self) -> bool:
        """Whether any helper has something to say, or had."""
        if not self._answered:
            self._answered = bool(self._ready.select(timeout=0))
        return self._answered

    def _answers(self) -> Iterator[Answer]:
        """What helpers have to say, once at least one has."""
        for key, _ in self._ready.select():
            if key.fileobj in self._at_work:
                answer = _answer(key.fileobj, self._job)
                self._idle.append(self._at_work.pop(key.fileobj))
                if answer.waited and len(self._all) < self._most:
                    self._call_one()
                yield answer

    def _dismiss(self) -> None:
        """Let all helpers go; each ends with what it has in hand."""
        for helper in self._all:
            self._ready.unregister(helper.stdout)
            with contextlib.suppress(BrokenPipeError):
                helper.stdin.close()
            helper.stdout.close()
        # A later copy holds the pipes of those before it: all are closed before one is waited for.
        for helper in self._all:
            helper.wait()
        self._all, self._idle, self._at_work = [], [], {}


def _done_here(worker: Worker, pending: deque) -> Any:
    result = worker.do(pending.pop())
    pending.extend(result.more)
    return result


def _answer(stream, job: Job) -> Answer:
    frame = receive(stream)
    if frame is None:
        raise CrewFailed(5, "a helper process ended before its work was done")
    answer = msgspec.msgpack.decode(frame, type=Answer[job.result])
    if answer.fault:
        raise answer.fault.as_error()
    return answer
