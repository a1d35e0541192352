"""A runner that is loaded while its command still looks: half a second that nobody waits for.

It is a fork of the command, made before anything was opened, in a session of its own. It ends by
itself where the command begins nothing.
"""

import contextlib
import fcntl
import os
import sys
import traceback
from collections.abc import Callable
from typing import NamedTuple

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.aside import close_from
from brave_bridge.machines.loading import loading
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import ours_at

Deed = Callable[[], int]
"""Carries something out; an exit code."""


class Work(NamedTuple):
    """What a runner can do: carry out what was begun, or begin something and carry that out."""

    carry_out: Callable[[list[str]], int]
    """Carries out the procedure that the last word names, on the machine that the others name."""

    begin: Callable[[bytes], tuple[str, Deed]]
    """Begins what an order says; its name, empty where it is refused, and how to carry it out."""


class _Message(msgspec.Struct):
    log: str
    words: list[str] = []
    order: bytes = b""


_TOLD = 3
"""The descriptor by which the waiting process answers."""


class ReadyRunner:
    """The waiting process. ``load`` gives what it is able to do, and imports what that needs."""

    def __init__(self, load: Callable[[], Work]) -> None:
        receiver, sender = os.pipe()
        ear, voice = os.pipe()
        self.pid = os.fork()
        if self.pid == 0:
            _cut_off(receiver, voice)
            _wait(load)
        os.close(receiver)
        os.close(voice)
        # Whoever lets go of this object lets go of the process: it reads to the end.
        self._hand = os.fdopen(sender, "wb")
        self._ear = os.fdopen(ear, "rb")

    def start(self, words: list[str], log: Beneath) -> int | None:
        """Have it carry out a procedure, its output added to ``log``; its process id.

        None where it is not there any more.
        """
        return self.pid if self._send(_Message(str(log), words=words)) else None

    def ask(self, order: bytes, log: Beneath) -> bool:
        """Have it begin what an order says, and carry that out; whether it is there to do it."""
        return self._send(_Message(str(log), order=order))

    def answer(self) -> str:
        """The name of what it has begun; empty where it has not, as the log then tells."""
        with self._ear as stream:
            return stream.read().decode()

    def _send(self, message: _Message) -> bool:
        try:
            with self._hand as stream:
                stream.write(msgspec.json.encode(message))
        except BrokenPipeError:
            return False
        return True


def _cut_off(receiver: int, voice: int) -> None:
    """Leave all that the command has open but the message, from descriptor 0, and the answer."""
    os.setsid()
    # Neither is in the way of the other: both get a number that is neither's place.
    receiver, voice = (fcntl.fcntl(one, fcntl.F_DUPFD, 10) for one in (receiver, voice))
    os.dup2(receiver, 0)
    os.dup2(voice, _TOLD, inheritable=False)
    nothing = os.open(os.devnull, os.O_WRONLY)
    for target in (1, 2):
        os.dup2(nothing, target)
    close_from(_TOLD + 1)


def _wait(load: Callable[[], Work]) -> None:
    """Load, wait for a message, do as it says and end; nothing behind it runs in this process."""
    code = 1
    try:
        with loading():
            work = load()
        with os.fdopen(0, "rb", closefd=False) as stream:
            written = stream.read()
        code = _do(work, decode_json(written, _Message)) if written else 0
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def _do(work: Work, message: _Message) -> int:
    _take_output_to(message.log)
    if not message.order:
        os.close(_TOLD)
        return work.carry_out(message.words)
    name, deed = work.begin(message.order)
    # Whoever asked may have gone meanwhile: what was begun is carried out all the same.
    with contextlib.suppress(BrokenPipeError), os.fdopen(_TOLD, "wb") as stream:
        stream.write(name.encode())
    return deed()


def _take_output_to(log: str) -> None:
    """Cut the process off from the terminal of the command."""
    os.chdir("/")
    nothing = os.open(os.devnull, os.O_RDONLY)
    with ours_at(log).opened_to_change() as written:
        for source, target in ((nothing, 0), (written.fileno(), 1), (written.fileno(), 2)):
            os.dup2(source, target)
