"""The one way in which state is changed: read, change, write, under a lock and in one step."""

from collections.abc import Callable
from typing import Any, Generic, TypeVar

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.port import MachineError, State

Kept = TypeVar("Kept")


class KeptRecord(Generic[Kept]):
    """Typed data in one file of a state folder, as JSON or as ``decode`` and ``encode`` have it.

    ``empty`` is what stands for it where nothing was ever kept. What cannot be read is never
    overwritten: it is set aside before the next change, or, where it is ``mended`` by a person,
    no change is made. ``remedy`` is what a person is told who needs it.
    """

    def __init__(
        self,
        name: str,
        kind: Any,
        empty: Kept,
        limit: int = 1_000_000,
        *,
        decode: Callable[..., Any] = decode_json,
        encode: Callable[[Kept], bytes] = msgspec.json.encode,
        mended: bool = False,
        remedy: str = "",
    ) -> None:
        self.name = name
        self._kind = kind
        self._empty = empty
        self._limit = limit
        self._decode = decode
        self._encode = encode
        self._mended = mended
        self._remedy = remedy

    def read(self, state: State) -> Kept:
        """What is kept; ``empty`` where it cannot be read."""
        try:
            return self.must_read(state)
        except MachineError:
            return self._empty

    def must_read(self, state: State) -> Kept:
        """What is kept; MachineError where it cannot be read."""
        content = state.read(self.name, self._limit)
        try:
            return self._empty if content is None else self._decode(content, self._kind)
        except ValueError as error:
            where = f"{state.where}/{self.name}"
            raise MachineError(f"reading {where}", state.owner, str(error), self._remedy) from error

    def fault(self, state: State) -> str:
        """Why it cannot be read; empty where it can, or there is none."""
        try:
            self.must_read(state)
        except MachineError as error:
            return error.seen
        return ""

    def change(self, state: State, change: Callable[[Kept], Kept]) -> Kept:
        """Change it as it is kept now. MachineError where that is refused."""
        state.make()
        with state.changing(self.name):
            if self._mended:
                self.must_read(state)
            elif self.fault(state):
                state.set_aside(self.name)
            changed = change(self.read(state))
            state.write(self.name, self._encode(changed))
        return changed

    def remove(self, state: State) -> None:
        """Keep nothing any more. MachineError where that is refused."""
        state.remove(self.name)
