"""Copies of this process (fork(2)): where one is sound, and a deed that one does meanwhile."""

import os
import resource
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from brave_bridge.machines.opening.beneath import Beneath

_NOT_FOR_A_COPY = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
"""What this process does on these signals is its own matter."""


def can_be_copied() -> bool:
    """Whether this process has one thread alone.

    A copy of several could inherit locks that nobody ever lets go of.
    """
    return len(Beneath("/proc/self/task").names()) == 1


def be_a_copy() -> None:
    """What a copy does first: signals end it, as they would a program."""
    for number in _NOT_FOR_A_COPY:
        signal.signal(number, signal.SIG_DFL)


def close_from(number: int) -> None:
    """Close every descriptor from that number on, what it holds locked by them among it."""
    os.closerange(number, resource.getrlimit(resource.RLIMIT_NOFILE)[0])


@contextmanager
def aside(deed: Callable[[], object]) -> Iterator[None]:
    """Have a copy do a deed while this process does something else; waited for at the end.

    Whether it was done, or how it failed, is not told: who needs it looks. Where no copy is
    sound it is not done.
    """
    if not can_be_copied():
        yield
        return
    pid = os.fork()
    if pid == 0:
        try:
            be_a_copy()
            deed()
        finally:
            # Nothing of the process that this is a copy of is ended twice.
            os._exit(0)
    try:
        yield
    finally:
        os.waitpid(pid, 0)
