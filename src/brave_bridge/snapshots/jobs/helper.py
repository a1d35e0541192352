"""A helper process: does the items that it is handed, until nobody hands it any more."""

import ctypes
import gc
import os
import signal
import sys
import time
from typing import BinaryIO

import msgspec

from brave_bridge.snapshots.jobs.check import CheckJob
from brave_bridge.snapshots.jobs.compare import CompareJob
from brave_bridge.snapshots.jobs.copy import CopyJob
from brave_bridge.snapshots.jobs.empty import RemovalJob
from brave_bridge.snapshots.jobs.messages import Answer, Begin, Fault, Items, receive, send
from brave_bridge.snapshots.jobs.stage import StageJob
from brave_bridge.snapshots.trees.contents import blocks_read

_PR_SET_PDEATHSIG = 1
_NOTABLE_SECONDS = 0.02

AnyJob = CopyJob | CompareJob | CheckJob | StageJob | RemovalJob


class Ordered(Begin, tag="Begin"):
    """The beginning of any of the jobs."""

    job: AnyJob


def main() -> int:
    """Serve whoever has started this process."""
    serve(sys.stdin.buffer, sys.stdout.buffer)
    return 0


def serve(hand: BinaryIO, voice: BinaryIO) -> None:
    """Do what comes by ``hand``, until the other end is gone."""
    # Nothing here is part of a cycle: looking for some would only take time.
    gc.disable()
    job, worker, fault = None, None, None
    while (frame := receive(hand)) is not None:
        order = msgspec.msgpack.decode(frame, type=Ordered | Items)
        if isinstance(order, Items):
            items = msgspec.msgpack.decode(order.items, type=list[job.item])
            send(voice, Answer(fault=fault) if fault else _answered(worker, items))
            continue
        if job is None:
            _die_with(order.parent)
        if worker is not None:
            worker.end()
        job, worker, fault = order.job, None, None
        try:
            worker = job.begin(order.number)
        except OSError as error:
            # Who came first may have done it all, and taken the place away: then nobody asks.
            fault = _fault_of(error)
    if worker is not None:
        worker.end()


def _answered(worker, items) -> Answer:
    wall, work, read = time.monotonic(), time.thread_time(), blocks_read()
    try:
        results = [worker.do(item) for item in items]
        wall, work = time.monotonic() - wall, time.thread_time() - work
        # Where nothing came from a disk, it was others that had the processor.
        waited = wall > _NOTABLE_SECONDS and work < wall / 2 and blocks_read() > read
        return Answer(results, waited=waited)
    except OSError as error:
        return Answer(fault=_fault_of(error))
    except ValueError as error:
        return Answer(fault=Fault(0, str(error)))


def _fault_of(error: OSError) -> Fault:
    return Fault(error.errno or 5, error.strerror or str(error), _shown(error.filename))


def _shown(filename) -> str:
    text = os.fsdecode(filename) if filename is not None else ""
    return text.encode(errors="backslashreplace").decode()


def _die_with(parent: int) -> None:
    """End when the process that this helps ends, whatever ended it."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(0)


if __name__ == "__main__":
    sys.exit(main())
