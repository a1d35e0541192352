"""Our side: a process that answers calls, over its pipes."""

import contextlib
import os
import select
import subprocess
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, BinaryIO, cast

import msgspec

from brave_bridge.machines.agent.serving import PROGRESS
from brave_bridge.machines.agent.wire import MOST_BYTES, WireError, receive, send
from brave_bridge.machines.port import MachineError

SILENT_SECONDS = 120.0
"""How long an agent may say nothing at all: while it works, it says so every few seconds."""

_PIECE = 1 << 16


class Line:
    """A line to an agent. One call at a time goes over it, whoever calls."""

    def __init__(self, machine: str, argv: Sequence[str]) -> None:
        self.machine = machine
        self._lock = threading.Lock()
        self._caller = 0
        try:
            self._process = subprocess.Popen(
                argv, stdin=subprocess.PIPE, stdout=subprocess.PIPE, bufsize=0
            )
        except OSError as error:
            seen = error.strerror or str(error)
            raise MachineError("calling the agent", machine, seen) from error
        self._hand = cast(BinaryIO, self._process.stdin)
        self._voice = cast(BinaryIO, self._process.stdout)
        for pipe in (self._hand, self._voice):
            os.set_blocking(pipe.fileno(), False)

    def close(self) -> None:
        """Let the agent end."""
        self._hang_up()
        self._process.wait()

    def _hang_up(self) -> None:
        for pipe in (self._hand, self._voice):
            with contextlib.suppress(OSError):
                pipe.close()

    def call(
        self,
        service: str,
        method: str,
        *arguments: object,
        kind: Any = None,
        named: Mapping[str, object] = {},
        tell: Callable[..., None] | None = None,
        largest: int = MOST_BYTES,
    ) -> Any:
        """What a method of a service gives, as ``kind``; ``tell`` is told how far it is.

        ``named`` are the arguments that it takes by name, ``largest`` how many bytes may come.

        MachineError where the method raised one, or nobody answers.
        """
        given = [PROGRESS if callable(argument) else argument for argument in arguments]
        call = {"service": service, "method": method, "arguments": given, "named": named}
        try:
            with self._mine(f"{service}.{method}"):
                answer = self._answered(call, tell, largest)
            if answer.fault is not None:
                raise MachineError(*answer.fault)
            return msgspec.convert(answer.value, kind, dec_hook=made)
        except (OSError, WireError, ValueError, msgspec.ValidationError) as error:
            words = getattr(error, "strerror", "") or str(error)
            raise MachineError(
                f"calling {service}.{method}",
                self.machine,
                f"the agent gave no answer: {words}",
                "look whether the machine can be reached",
            ) from error

    @contextlib.contextmanager
    def _mine(self, deed: str) -> Iterator[None]:
        """The line for one call. Whoever is told how far a call is cannot call meanwhile."""
        me = threading.get_ident()
        if self._caller == me:
            seen = "the line is busy with a call that tells how far it is"
            raise MachineError(f"calling {deed}", self.machine, seen)
        with self._lock:
            self._caller = me
            try:
                yield
            finally:
                self._caller = 0

    def _answered(self, call: dict, tell: Callable[..., None] | None, largest: int) -> "_Answer":
        try:
            return self._heard(call, tell, largest)
        except BaseException:
            # What is still to come would be taken for the answer to the next call.
            self._hang_up()
            raise

    def _heard(self, call: dict, tell: Callable[..., None] | None, largest: int) -> "_Answer":
        send(cast(BinaryIO, _PatientPipe(self._hand)), call)
        voice = cast(BinaryIO, _PatientPipe(self._voice))
        while True:
            heard = receive(voice, largest)
            if heard is None:
                raise WireError("it has ended")
            answer = msgspec.convert(heard, _Answer)
            if answer.alive or answer.progress is not None:
                if answer.progress is not None and tell is not None:
                    tell(*answer.progress)
                continue
            if answer.fault is None and "value" not in heard:
                raise WireError("it gave something that is no answer")
            return answer


class _Answer(msgspec.Struct):
    """What an agent may say: that it works, how far it is, what came of it, or why nothing did."""

    value: Any = None
    fault: tuple[str, str, str, str] | None = None
    progress: list[int | float | str] | None = None
    alive: bool = False


class _PatientPipe:
    """One end of a pipe whose other side may fall silent, or take nothing any more. WireError."""

    def __init__(self, pipe: BinaryIO) -> None:
        self._descriptor = pipe.fileno()

    def read(self, count: int) -> bytes:
        """As many bytes as that; fewer where the other side is gone."""
        pieces: list[bytes] = []
        while count:
            self._wait(select.POLLIN, "it has said nothing")
            piece = os.read(self._descriptor, min(count, _PIECE))
            if not piece:
                break
            pieces.append(piece)
            count -= len(piece)
        return b"".join(pieces)

    def write(self, content: bytes) -> None:
        """All of it."""
        rest = memoryview(content)
        while rest:
            self._wait(select.POLLOUT, "it has taken nothing")
            rest = rest[os.write(self._descriptor, rest[:_PIECE]) :]

    def flush(self) -> None:
        """Nothing is kept back."""

    def _wait(self, event: int, words: str) -> None:
        poll = select.poll()
        poll.register(self._descriptor, event)
        if not poll.poll(SILENT_SECONDS * 1000):
            raise WireError(f"{words} for {SILENT_SECONDS:.0f} s")


def made(kind: type, value: object) -> object:
    """Records that JSON has no kind for: paths."""
    return kind(value)
