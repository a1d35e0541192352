"""The one way in which state is changed: read, change, write, under a lock and in one step."""

from collections.abc import Callable
from typing import Generic, TypeVar

import msgspec

from brave_bridge.machines.port import MachineError, State

Kept = TypeVar("Kept")


class KeptRecord(Generic[Kept]):
    """Typed data in one file of a state folder, as JSON.

    ``empty`` is what stands for it where nothing was ever kept. What cannot be read counts as
    that, but is never overwritten: it is set aside before the next change (see ``fault``).
    """

    def __init__(self, name: str, kind: type, empty: Kept, limit: int = 1_000_000) -> None:
        self.name = name
        self._kind = kind
        self._empty = empty
        self._limit = limit

    def read(self, state: State) -> Kept:
        """What is kept."""
        try:
            return self._read(state)
        except (MachineError, msgspec.DecodeError):
            return self._empty

    def fault(self, state: State) -> str:
        """Why it cannot be read; empty where it can, or there is none."""
        try:
            self._read(state)
        except MachineError as error:
            return error.seen
        except msgspec.DecodeError as error:
            return str(error)
        return ""

    def change(self, state: State, change: Callable[[Kept], Kept]) -> Kept:
        """Change it as it is kept now. MachineError where that is refused."""
        state.make()
        with state.changing(self.name):
            if self.fault(state):
                state.set_aside(self.name)
            changed = change(self.read(state))
            state.write(self.name, msgspec.json.encode(changed))
        return changed

    def _read(self, state: State) -> Kept:
        content = state.read(self.name, self._limit)
        return self._empty if content is None else msgspec.json.decode(content, type=self._kind)
