"""Samples of a procedure: often at first, seldom later, and never a reason to fail."""

from types import SimpleNamespace

import pytest

from brave_bridge.machines.port import MachineError
from brave_bridge.runner import sampling
from brave_bridge.runner.sampling import DOUBLED_AFTER, FIRST_SECONDS, Sampler


class Book:
    def __init__(self) -> None:
        self.rows = []

    def samples(self, procedure):
        return list(self.rows)

    def add_sample(self, row):
        self.rows.append(row)


def machine(free: int | None):
    def gather(queries):
        if free is None:
            raise MachineError("reading room", "petrel", "the line is down")
        return SimpleNamespace(rooms={"/": SimpleNamespace(free_bytes=free)})

    return SimpleNamespace(files=SimpleNamespace(gather=gather))


@pytest.fixture
def clock(monkeypatch):
    now = SimpleNamespace(seconds=100.0)
    monkeypatch.setattr(sampling, "time", SimpleNamespace(monotonic=lambda: now.seconds))
    return now


def test_they_grow_seldom_as_the_procedure_grows_long(clock):
    book = Book()
    sampler = Sampler(book, machine(5), "p")
    for _ in range(int(DOUBLED_AFTER * 4 / FIRST_SECONDS)):
        sampler.offer(1, 50.0)
        sampler.offer(1, 50.0)
        clock.seconds += FIRST_SECONDS / 2
    assert DOUBLED_AFTER < len(book.rows) < 3 * DOUBLED_AFTER
    assert {row.free_bytes for row in book.rows} == {5}


def test_a_process_that_goes_on_keeps_the_pace(clock):
    book = Book()
    book.rows = [None] * (2 * DOUBLED_AFTER)
    sampler = Sampler(book, machine(5), "p")
    sampler.offer(1, 1.0)
    clock.seconds += 3 * FIRST_SECONDS
    sampler.offer(1, 2.0)
    assert len(book.rows) == 2 * DOUBLED_AFTER + 1


def test_room_that_cannot_be_read_is_unknown(clock):
    book = Book()
    Sampler(book, machine(None), "p").offer(0, 0.0)
    assert [row.free_bytes for row in book.rows] == [0]
