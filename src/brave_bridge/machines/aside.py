"""Copies of this process (fork(2)): where one is sound, and a deed that one does meanwhile."""

import os
import signal
from collections.abc import Callable
from types import TracebackType

_NOT_FOR_A_COPY = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
"""What this process does on these signals is its own matter."""


def can_be_copied() -> bool:
    """Whether this process has one thread alone.

    A copy of several could inherit locks that nobody ever lets go of.
    """
    return len(os.listdir("/proc/self/task")) == 1


def be_a_copy() -> None:
    """What a copy does first: signals end it, as they would a program."""
    for number in _NOT_FOR_A_COPY:
        signal.signal(number, signal.SIG_DFL)


class aside:
    """Has a copy do a deed while this process does something else; waited for at the end.

    Whether it was done, or how it failed, is not told: who needs it looks. Where no copy is
    sound it is not done.
    """

    def __init__(self, deed: Callable[[], object]) -> None:
        self._deed = deed
        self._pid = 0

    def __enter__(self) -> None:
        if not can_be_copied():
            return
        self._pid = os.fork()
        if self._pid == 0:
            try:
                be_a_copy()
                self._deed()
            finally:
                # Nothing of the process that this is a copy of is ended twice.
                os._exit(0)

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if self._pid:
            os.waitpid(self._pid, 0)
