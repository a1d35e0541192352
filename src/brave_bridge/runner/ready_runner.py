"""A runner that is loaded while its command still looks: half a second that nobody waits for.

It is a fork of the command, made before anything was opened, in a session of its own. It ends by
itself where the command begins nothing.
"""

import os
import resource
import sys
import threading
import traceback
from collections.abc import Callable
from pathlib import Path

import msgspec

CarryOut = Callable[[list[str]], int]
"""Carries out the procedure that the last word names, on the machine that the others name."""


class _Order(msgspec.Struct):
    words: list[str]
    log: str


class ReadyRunner:
    """The waiting process. ``load`` gives what it is to carry out, and imports what that needs."""

    def __init__(self, load: Callable[[], CarryOut]) -> None:
        receiver, sender = os.pipe()
        self.pid = os.fork()
        if self.pid == 0:
            _cut_off(receiver)
            _wait(load)
        os.close(receiver)
        # Whoever lets go of this object lets go of the process: it reads to the end.
        self._order = os.fdopen(sender, "wb")

    def start(self, words: list[str], log: Path) -> int | None:
        """Have it carry out a procedure, its output added to ``log``; its process id.

        None where it is not there any more.
        """
        try:
            with self._order as stream:
                stream.write(msgspec.json.encode(_Order(words, str(log))))
        except BrokenPipeError:
            return None
        return self.pid


def can_be_made_ready() -> bool:
    """Whether a fork is sound here: nothing else runs in this process."""
    return threading.active_count() == 1


def _cut_off(receiver: int) -> None:
    """Leave all that the command has open but the order, which is read from descriptor 0."""
    os.setsid()
    os.dup2(receiver, 0)
    nothing = os.open(os.devnull, os.O_WRONLY)
    for target in (1, 2):
        os.dup2(nothing, target)
    os.closerange(3, resource.getrlimit(resource.RLIMIT_NOFILE)[0])


def _wait(load: Callable[[], CarryOut]) -> None:
    """Load, wait for the order, carry it out and end; nothing behind it runs in this process."""
    code = 1
    try:
        carry_out = load()
        with os.fdopen(0, "rb", closefd=False) as stream:
            written = stream.read()
        if written:
            order = msgspec.json.decode(written, type=_Order)
            _take_output_to(order.log)
            code = carry_out(order.words)
        else:
            code = 0
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def _take_output_to(log: str) -> None:
    """Cut the process off from the terminal of the command."""
    os.chdir("/")
    nothing = os.open(os.devnull, os.O_RDONLY)
    written = os.open(log, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
    for source, target in ((nothing, 0), (written, 1), (written, 2)):
        os.dup2(source, target)
