"""Licence keys of the made-up world, and giving them to whoever waits for one."""

import contextlib
import os
import signal
import time
from collections.abc import Iterator
from pathlib import Path

from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.runner import key_desk

_SOCKET = "var/lib/brave-bridge/key.sock"
CREW, USED_UP = "CRJQ3XH5C9RYHS8H2FU8", "CRKDSC6AWAA22FFCCLN6"
HARBOUR, MATE = "HAEFDESM3RUCBJ6PM2P9", "MA6MQMYNDYYD5J3QT3UT"


@contextlib.contextmanager
def giving(root: Path, *keys: str, anywhere: bool = False) -> Iterator[list[str]]:
    """Give these keys, one after the other, to the runner of a stand-in whenever it waits.

    The last one is given again and again; what was said of each is in the list behind it.
    ``anywhere``: to those of all stand-ins below the folder. It is a
    process of its own: the procedures are carried out in forks, which threads do not go well with.
    """
    said: list[str] = []
    ear, mouth = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            _give(root, list(keys), mouth, anywhere)
        finally:
            os._exit(1)
    os.close(mouth)
    try:
        yield said
    finally:
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        with os.fdopen(ear) as stream:
            said += stream.read().splitlines()


def _give(root: Path, left: list[str], mouth: int, anywhere: bool) -> None:
    while True:
        for place in root.glob(f"*/{_SOCKET}" if anywhere else _SOCKET):
            state = StandInMachine("giving", place.parents[3]).state
            with contextlib.suppress(key_desk.NobodyWaits):
                answer = key_desk.hand_over(state, left[0].encode())
                os.write(mouth, f"{answer}\n".encode())
                left = left[1:] or left
        time.sleep(0.005)
