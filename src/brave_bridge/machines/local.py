"""The machine that Brave Bridge runs on."""

import socket
from collections.abc import Sequence
from pathlib import Path

from brave_bridge.machines.entering import as_root
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.knocking import knock
from brave_bridge.machines.queries import Answer, Answers, Knocks
from brave_bridge.machines.questions import ask_all


class LocalMachine(FolderMachine):
    """This machine, its commands run as they are."""

    kind = "running"

    def __init__(self) -> None:
        super().__init__(socket.gethostname() or "this machine", Path("/"))

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        return as_root(self.name, argv)

    def _answers(self, query: Answers) -> dict[tuple[str, ...], Answer]:
        return ask_all(query)

    def _knocks(self, query: Knocks) -> dict[str, str]:
        return knock(query)
