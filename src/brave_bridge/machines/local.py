"""The machine that Brave Bridge runs on."""

import os
import socket
from collections.abc import Sequence
from pathlib import Path

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.questions import ask_all
from brave_bridge.machines.wishes import Answer, Answers


class LocalMachine(FolderMachine):
    """This machine, its commands run as they are."""

    kind = "running"

    def __init__(self) -> None:
        super().__init__(socket.gethostname() or "this machine", Path("/"))

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        if os.geteuid() != 0:
            raise MachineError(f"running {argv[0]}", self.name, "this needs root", "run it as root")
        return list(argv)

    def _answers(self, wish: Answers) -> dict[tuple[str, ...], Answer]:
        return ask_all(wish)
