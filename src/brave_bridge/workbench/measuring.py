"""Measuring link and disk while a plan is made, so that the first estimate rests on something."""

import contextlib
import os
import tempfile
import time
from pathlib import Path

from brave_bridge.core.crossing.replies import Ran, Reply, SuitesFetched
from brave_bridge.core.crossing.requests import Request
from brave_bridge.core.estimate import Speeds, measured
from brave_bridge.core.formats.apt_output import fetched
from brave_bridge.runner.performer import Performer, Report

_PROBE_BYTES = 16 << 20
_LEAST_FETCH = 200_000
"""Bytes below which a fetch tells more of the waiting than of the link."""


class MeasuringPerformer:
    """Performs as another does, and remembers what its fetches tell of the link."""

    def __init__(self, performer: Performer) -> None:
        self._performer = performer
        self._fetches: list[tuple[float, float]] = []

    def perform(self, seq: int, request: Request, report: Report) -> Reply:
        """Perform a request; see Performer."""
        reply = self._performer.perform(seq, request, report)
        told = fetched(reply.output) if isinstance(reply, Ran) else None
        if isinstance(reply, SuitesFetched):
            told = reply.bytes_received, reply.seconds
        if told:
            self._fetches.append(told)
        return reply

    @property
    def link(self) -> float:
        """Bytes a second of the link; 0 where too little was fetched to tell."""
        return measured(self._fetches, least=_LEAST_FETCH)


def disk_speed(folder: Path) -> float:
    """Bytes a second that the file system of a folder writes and syncs; 0 where it cannot."""
    block = os.urandom(1 << 20)
    try:
        descriptor, name = tempfile.mkstemp(prefix=".brave-bridge-probe-", dir=folder)
    except OSError:
        return 0.0
    try:
        began = time.perf_counter()
        for _ in range(_PROBE_BYTES >> 20):
            os.write(descriptor, block)
        os.fsync(descriptor)
        return _PROBE_BYTES / (time.perf_counter() - began)
    except OSError:
        return 0.0
    finally:
        os.close(descriptor)
        with contextlib.suppress(OSError):
            os.unlink(name)


def speeds(performer: MeasuringPerformer, folder: Path) -> Speeds:
    """What the plan's fetches and a short probe of the disk tell."""
    return Speeds(link=performer.link, disk=disk_speed(folder))
