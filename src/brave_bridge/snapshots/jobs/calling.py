"""Calling a helper process: a copy of this one where that is safe, else a new one."""

import os
import subprocess
from typing import BinaryIO, Protocol

from brave_bridge.machines.aside import be_a_copy, can_be_copied
from brave_bridge.machines.runtime import python_argv


class Helper(Protocol):
    """A process that serves what is written to ``stdin``, and answers on ``stdout``."""

    stdin: BinaryIO
    stdout: BinaryIO

    def wait(self) -> int:
        """Its exit code, once it has ended."""


def called() -> Helper:
    """A helper, ready for messages.

    A copy is there at once, with everything loaded.
    """
    return _Copy() if can_be_copied() else _started()


def _started() -> Helper:
    return subprocess.Popen(
        [*python_argv(), "-m", "brave_bridge.snapshots.jobs.helper"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        cwd="/",
    )


class _Copy:
    """A copy of this process that does nothing but serve."""

    def __init__(self) -> None:
        # Only who calls a helper loads what it does, and once for all of them.
        from brave_bridge.snapshots.jobs.helper import serve

        hand, our_hand = os.pipe()
        our_ear, voice = os.pipe()
        self._pid = os.fork()
        if self._pid == 0:
            try:
                be_a_copy()
                os.close(our_hand)
                os.close(our_ear)
                serve(os.fdopen(hand, "rb"), os.fdopen(voice, "wb"))
            finally:
                # Nothing of the process that this is a copy of is ended twice.
                os._exit(0)
        os.close(hand)
        os.close(voice)
        self.stdin = os.fdopen(our_hand, "wb")
        self.stdout = os.fdopen(our_ear, "rb")

    def wait(self) -> int:
        """See Helper."""
        return os.waitpid(self._pid, 0)[1]
