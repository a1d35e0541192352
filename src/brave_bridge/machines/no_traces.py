"""What a process does that is about to hold a secret: nothing of its memory reaches a disk."""

import contextlib
import ctypes
import resource

_SET_DUMPABLE = 4
"""PR_SET_DUMPABLE of prctl(2): also programs that are handed core dumps get none."""


def leave_no_core() -> None:
    """No core is dumped of this process any more, whatever it dies of (core(5))."""
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    with contextlib.suppress(AttributeError, OSError):
        ctypes.CDLL(None).prctl(_SET_DUMPABLE, 0, 0, 0, 0)
