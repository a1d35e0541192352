"""How a procedure goes on over time: samples of how far it is, and of the room that is left."""

import contextlib
import time
from collections.abc import Iterator

from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.room import free_bytes
from brave_bridge.store.logbook import Logbook
from brave_bridge.store.rows import SampleRow, now

FIRST_SECONDS = 0.5
"""The least time between two samples at first."""

DOUBLED_AFTER = 150
"""After so many samples they are taken half as often: a long night stays a short table."""


class Pace:
    """Keeps what is only told from slowing what is done.

    The record is written through to the disk: on one that is busy with the work itself that may
    take seconds. What was spent on telling is waited for many times over before it is told again.
    """

    _TIMES = 25

    def __init__(self) -> None:
        self._next = 0.0

    @contextlib.contextmanager
    def when_due(self) -> Iterator[bool]:
        """Whether it is time to tell; what is done within is what it costs."""
        began = time.monotonic()
        if began < self._next:
            yield False
            return
        try:
            yield True
        finally:
            ended = time.monotonic()
            self._next = ended + (ended - began) * self._TIMES


class Sampler:
    """Takes the samples of one procedure, seldom enough to cost nothing."""

    def __init__(self, logbook: Logbook, machine: Machine, procedure: str) -> None:
        self.logbook = logbook
        self.machine = machine
        self.procedure = procedure
        self._taken = len(logbook.samples(procedure))
        self._next = 0.0
        self._free = 0

    def offer(self, seq: int, percent: float) -> None:
        """How far a request is: a sample, where it is time for one."""
        if time.monotonic() >= self._next:
            self.take(seq, percent)

    def take(self, seq: int, percent: float) -> None:
        """A sample of how far a request is."""
        sample = SampleRow(self.procedure, seq, now(), percent, self._free_bytes())
        self.logbook.add_sample(sample)
        self._taken += 1
        pause = FIRST_SECONDS * 2 ** (self._taken // DOUBLED_AFTER)
        self._next = time.monotonic() + pause

    def _free_bytes(self) -> int:
        """What is free; what was free last where the machine cannot be asked just now."""
        with contextlib.suppress(MachineError):
            self._free = free_bytes(self.machine)
        return self._free
