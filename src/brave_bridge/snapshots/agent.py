"""The agent that also serves what works beside a machine's files, and our side of that.

``python -m brave_bridge.snapshots.agent ROOT NAME`` serves a running system or a tree; it needs
Brave Bridge where it runs, as a runtime of our own has it.
"""

import inspect
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, get_origin, get_type_hints

import msgspec

from brave_bridge import __version__
from brave_bridge.machines.agent.calling import Line, made
from brave_bridge.machines.agent.machine import AgentMachine
from brave_bridge.machines.agent.plain_agent import ServedMachine, as_given, services_of
from brave_bridge.machines.agent.serving import Agent
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.snapshots.beside import Archives, Beside, BesideFolder
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.past_systems import PastSystems
from brave_bridge.snapshots.returning import Returning

_SERVED = (Snapshots, Returning, Archives, PastSystems)


def serve(machine: FolderMachine) -> None:
    """Serve a machine over this process's pipes until whoever called is gone."""
    beside = BesideFolder(machine, __version__)
    own = {"snapshots": beside.snapshots, "returning": beside.returning}
    own |= {"archives": beside.archives, "past": beside.past}
    services = {**services_of(machine), **own}
    Agent(services, _as_declared).serve(sys.stdin.buffer, sys.stdout.buffer)


def _as_declared(method: Callable, arguments: list, named: dict) -> tuple[list, dict]:
    """Arguments as a method's own annotations declare them."""
    given, named = as_given(method, arguments, named)
    if not isinstance(getattr(method, "__self__", None), _SERVED):
        return given, named
    hints = get_type_hints(method)
    names = list(inspect.signature(method).parameters)
    return (
        [_converted(value, hints.get(name)) for value, name in zip(given, names, strict=False)],
        {name: _converted(value, hints.get(name)) for name, value in named.items()},
    )


def _converted(value: object, hint: Any) -> Any:
    """A value as annotated; queries have been made out of what was sent already."""
    if callable(value) or hint is None or get_origin(hint) is Sequence:
        return value
    return msgspec.convert(value, hint, dec_hook=made)


class _Called:
    """A service at the other end of a line: has the methods of a class, and calls them there."""

    def __init__(self, line: Line, service: str, kind: type) -> None:
        self._line = line
        self._service = service
        self._kind = kind

    def __getattr__(self, name: str) -> Callable:
        method = getattr(self._kind, name, None)
        if name.startswith("_") or not callable(method):
            raise AttributeError(name)
        signature = inspect.signature(method)
        kind = get_type_hints(method).get("return")

        def call(*arguments: object, **named: object) -> Any:
            bound = signature.bind(self, *arguments, **named)
            given = bound.args[1:]
            tell = next((value for value in given if callable(value)), None)
            return self._line.call(
                self._service, name, *given, kind=kind, named=bound.kwargs, tell=tell
            )

        return call


class BesideLine:
    """Beside the files of a machine at the other end of a line. See Beside."""

    def __init__(self, line: Line) -> None:
        self.snapshots: Any = _Called(line, "snapshots", Snapshots)
        self.returning: Any = _Called(line, "returning", Returning)
        self.archives: Any = _Called(line, "archives", Archives)
        self.past: Any = _Called(line, "past", PastSystems)


def beside(machine: FolderMachine | AgentMachine) -> Beside:
    """What works beside a machine's files, in this process or by its agent."""
    if isinstance(machine, AgentMachine):
        return BesideLine(machine.line)
    return BesideFolder(machine, __version__)


if __name__ == "__main__":
    serve(ServedMachine(sys.argv[2], Path(sys.argv[1]).absolute()))
