"""Naming a machine: this one, a mounted tree, or a machine of the demo fleet."""

from pathlib import Path

import msgspec

from brave_bridge.machines.local import LocalMachine
from brave_bridge.machines.port import Machine
from brave_bridge.machines.tree import open_tree


class Target(msgspec.Struct, frozen=True):
    """Which machine is meant. ``kind`` is ``local``, ``tree`` or ``demo``."""

    kind: str
    value: str = ""

    @property
    def words(self) -> tuple[str, ...]:
        """The command-line words that name it, from whichever folder they are read."""
        if self.kind == "local":
            return ()
        value = str(tree_folder(self.value)) if self.kind == "tree" else self.value
        return (f"--{self.kind}", value)


def tree_folder(value: str) -> Path:
    """The folder that a person means, as an absolute path."""
    return Path(value).expanduser().absolute()


def parse_words(words: list[str]) -> Target:
    """The target that command-line words name."""
    return Target(words[0].removeprefix("--"), words[1]) if words else Target("local")


def open_target(target: Target) -> Machine:
    """The machine of a target; MachineError where it is none."""
    if target.kind == "tree":
        return open_tree(tree_folder(target.value))
    if target.kind == "demo":
        from brave_bridge.workbench.demo import open_demo

        return open_demo(target.value)
    return LocalMachine()
