"""The agent of plain Python: ``ROOT NAME`` are the words that say which machine it serves."""

import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from brave_bridge.machines import queries
from brave_bridge.machines.agent.serving import Agent, StateService
from brave_bridge.machines.entering import as_root, entered
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.knocking import knock
from brave_bridge.machines.questions import ask_all


class ServedMachine(FolderMachine):
    """The system that this process runs on, or a tree that is mounted there."""

    def __init__(self, name: str, root: Path) -> None:
        self.kind = "running" if root == Path("/") else "tree"
        super().__init__(name, root)

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        if self.is_this_system:
            return as_root(self.name, argv)
        return entered(self.name, self.root, argv)

    def _answers(self, query: queries.Answers) -> dict[tuple[str, ...], queries.Answer]:
        return ask_all(query) if self.is_this_system else {}

    def _knocks(self, query: queries.Knocks) -> dict[str, str]:
        return knock(query) if self.is_this_system else {}


class About:
    """Who the machine is."""

    def __init__(self, machine: FolderMachine) -> None:
        self._machine = machine

    def machine(self) -> dict[str, str]:
        """Its kind, and what its state folder is called."""
        return {"kind": self._machine.kind, "where": self._machine.state.where}


def services_of(machine: FolderMachine) -> dict[str, object]:
    """What an agent serves of a machine."""
    return {
        "about": About(machine),
        "files": machine.files,
        "jobs": machine.jobs,
        "state": StateService(machine.state),
    }


def as_given(method: Callable, arguments: list, named: dict) -> tuple[list, dict]:
    """Arguments as methods of these services take them: queries are made out of what was sent."""
    return [_made(value) for value in arguments], {n: _made(value) for n, value in named.items()}


_QUERIES: dict[str, Callable] = {
    kind.__name__: kind
    for kind in (
        queries.Contents,
        queries.Names,
        queries.Links,
        queries.Below,
        queries.Rooms,
        queries.Sums,
        queries.Stanzas,
        queries.Answers,
        queries.Knocks,
    )
}


def _made(value: object) -> object:
    if isinstance(value, list):
        return tuple(_made(inner) for inner in value)
    if isinstance(value, dict) and value.get("type") in _QUERIES:
        fields = {name: _made(inner) for name, inner in value.items() if name != "type"}
        return _QUERIES[value["type"]](**fields)
    return value


def main(words: list[str]) -> int:
    """Serve until whoever called is gone."""
    root, name = words
    machine = ServedMachine(name, Path(root).absolute())
    agent = Agent(services_of(machine), as_given)
    agent.serve(sys.stdin.buffer, sys.stdout.buffer)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
