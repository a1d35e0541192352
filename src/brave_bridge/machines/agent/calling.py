"""Our side: a process that answers calls, over its pipes."""

import contextlib
import subprocess
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, BinaryIO, cast

import msgspec

from brave_bridge.machines.agent.serving import PROGRESS
from brave_bridge.machines.agent.wire import WireError, receive, send
from brave_bridge.machines.port import MachineError


class Line:
    """A line to an agent. One call at a time goes over it, whoever calls."""

    def __init__(self, machine: str, argv: Sequence[str]) -> None:
        self.machine = machine
        self._lock = threading.Lock()
        self._caller = 0
        try:
            self._process = subprocess.Popen(argv, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        except OSError as error:
            seen = error.strerror or str(error)
            raise MachineError("calling the agent", machine, seen) from error
        self._hand = cast(BinaryIO, self._process.stdin)
        self._voice = cast(BinaryIO, self._process.stdout)

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
    ) -> Any:
        """What a method of a service gives, as ``kind``; ``tell`` is told how far it is.

        ``named`` are the arguments that it takes by name.

        MachineError where the method raised one, or nobody answers.
        """
        given = [PROGRESS if callable(argument) else argument for argument in arguments]
        call = {"service": service, "method": method, "arguments": given, "named": named}
        try:
            with self._mine(f"{service}.{method}"):
                answer = self._answered(call, tell)
            if "fault" in answer:
                raise MachineError(*answer["fault"])
            return msgspec.convert(answer["value"], kind, dec_hook=made)
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

    def _answered(self, call: dict, tell: Callable[..., None] | None) -> dict:
        try:
            return self._heard(call, tell)
        except BaseException:
            # What is still to come would be taken for the answer to the next call.
            self._hang_up()
            raise

    def _heard(self, call: dict, tell: Callable[..., None] | None) -> dict:
        send(self._hand, call)
        while True:
            answer = receive(self._voice)
            if not isinstance(answer, dict):
                raise WireError("it has ended")
            if "progress" not in answer:
                return answer
            if tell is not None:
                tell(*answer["progress"])


def made(kind: type, value: object) -> object:
    """Records that JSON has no kind for: paths."""
    return kind(value)
