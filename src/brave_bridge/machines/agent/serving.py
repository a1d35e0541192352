"""The machine's side: does what it is called for, until nobody calls any more.

A call is ``{"service", "method", "arguments", "named"}``, an answer ``{"value"}`` or ``{"fault"}``;
while it works it may say ``{"progress": [...]}``. Only methods that a service's own class has, and
whose names do not begin with an underscore, can be called.
"""

import contextlib
import signal
import threading
from collections.abc import Callable, Iterator, Mapping
from typing import BinaryIO

from brave_bridge.machines.agent.wire import receive, send
from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.port import MachineError

PROGRESS = "progress of the caller"
"""What stands for a function that is to be called as the work goes on."""

ALIVE = {"alive": True}
PULSE_SECONDS = 5.0
"""How often an agent says that it is still at a call, where nothing else is said."""

Reader = Callable[[Callable, list, dict], "tuple[list, dict]"]
"""Turns the arguments of a call, in order and by name, into what a method takes."""


class Agent:
    """Services by name, and the locks that whoever calls holds through it."""

    def __init__(self, services: Mapping[str, object], read: Reader) -> None:
        self._services = services
        self._read = read

    def serve(self, hand: BinaryIO, voice: BinaryIO) -> None:
        """Answer what comes by ``hand``. WireError where that is no call."""
        while True:
            call = receive(hand)
            if call is None:
                return
            with _pulse(voice) as said:
                answer = self._answer(call, said)
            send(voice, answer)

    def _answer(self, call: dict, say: Callable[[dict], None]) -> dict:
        def tell(*words: object) -> None:
            say({"progress": list(words)})

        try:
            method = self._method(str(call["service"]), str(call["method"]))
            given = [tell if value == PROGRESS else value for value in call["arguments"]]
            arguments, named = self._read(method, given, call.get("named", {}))
            return {"value": method(*arguments, **named)}
        except MachineError as error:
            fault = [error.attempted, error.machine, error.seen, error.remedy]
            return {"fault": fault}
        except Exception as error:
            # Whoever calls is told, and may call again.
            return {"fault": ["serving a call", "the agent", _words(error), ""]}

    def _method(self, service: str, name: str) -> Callable:
        found = self._services.get(service)
        if found is None or name.startswith("_") or not callable(getattr(type(found), name, None)):
            raise ValueError(f"nothing is called {service}.{name}")
        return getattr(found, name)


@contextlib.contextmanager
def _pulse(voice: BinaryIO) -> Iterator[Callable[[dict], None]]:
    """Say every few seconds that a call is being worked on; what says more meanwhile.

    By a timer's signal and not by a thread, so that this process can still be copied (fork(2)).
    """
    speaking: list[bool] = []

    def say(message: dict) -> None:
        speaking.append(True)
        try:
            send(voice, message)
        finally:
            speaking.pop()

    def beat(_number: int, _frame: object) -> None:
        if not speaking:
            say(ALIVE)

    if threading.current_thread() is not threading.main_thread():
        yield say
        return
    before = signal.signal(signal.SIGALRM, beat)
    signal.setitimer(signal.ITIMER_REAL, PULSE_SECONDS, PULSE_SECONDS)
    try:
        yield say
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)


def _words(error: Exception) -> str:
    return f"{type(error).__name__}: {error}"


class StateService:
    """A state folder as a service: what is held, is held by name until it is let go.

    Who is gone holds nothing any more: it ends with this process.
    """

    def __init__(self, state: FolderState) -> None:
        self._state = state
        self._held: dict[str, contextlib.ExitStack] = {}

    def call(self, method: str, arguments: list) -> object:
        """A method of State that takes and gives plain data."""
        if method not in _PLAIN_METHODS:
            raise ValueError(f"no method of a state folder: {method}")
        return getattr(self._state, method)(*arguments)

    def begin_change(self, name: str) -> None:
        """See State.changing."""
        held = contextlib.ExitStack()
        held.enter_context(self._state.changing(name))
        self._held[f"changing {name}"] = held

    def end_change(self, name: str) -> None:
        """The end of that."""
        self._held.pop(f"changing {name}").close()

    def hold(self, name: str) -> bool:
        """Whether a lock could be taken: see State.hold."""
        held = self._state.hold(name)
        if held is not None:
            self._held[f"holding {name}"] = held
        return held is not None

    def let_go(self, name: str) -> None:
        """Let go of it."""
        self._held.pop(f"holding {name}").close()


_PLAIN_METHODS = frozenset(
    (
        "is_there",
        "can_be_read",
        "must_be_trusted",
        "make",
        "read",
        "write",
        "remove",
        "names",
        "set_aside",
        "is_held",
        "write_speed",
    )
)
