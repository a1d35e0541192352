"""A helper process: does the items that it is handed, until nobody hands it any more."""

import ctypes
import gc
import os
import signal
import sys
import time

import msgspec

from brave_bridge.snapshots.checking import CheckJob
from brave_bridge.snapshots.comparing import CompareJob
from brave_bridge.snapshots.copying import CopyJob
from brave_bridge.snapshots.crew import Answer, Fault, receive, send
from brave_bridge.snapshots.removing import RemovalJob
from brave_bridge.snapshots.staging import StageJob

_PR_SET_PDEATHSIG = 1
_NOTABLE_SECONDS = 0.02

AnyJob = CopyJob | CompareJob | CheckJob | StageJob | RemovalJob


def main() -> int:
    """Serve until the other end is gone."""
    hand, voice = sys.stdin.buffer, sys.stdout.buffer
    first = receive(hand)
    if first is None:
        return 0
    number, parent, job = msgspec.msgpack.decode(first, type=tuple[int, int, AnyJob])
    _die_with(parent)
    # Nothing here is part of a cycle: looking for some would only take time.
    gc.disable()
    worker = job.begin(number)
    while (frame := receive(hand)) is not None:
        items = msgspec.msgpack.decode(frame, type=list[job.item])
        send(voice, _answered(worker, items))
    worker.end()
    return 0


def _answered(worker, items) -> Answer:
    wall, work = time.monotonic(), time.thread_time()
    try:
        results = [worker.do(item) for item in items]
        wall, work = time.monotonic() - wall, time.thread_time() - work
        return Answer(results, waited=wall > _NOTABLE_SECONDS and work < wall / 2)
    except OSError as error:
        words = error.strerror or str(error)
        return Answer(fault=Fault(error.errno or 5, words, _shown(error.filename)))
    except ValueError as error:
        return Answer(fault=Fault(0, str(error)))


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
