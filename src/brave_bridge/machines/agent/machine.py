"""A machine at the other end of a line."""

import contextlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from brave_bridge.machines.agent.calling import Line
from brave_bridge.machines.agent.wire import MOST_BYTES
from brave_bridge.machines.jobs import JobState
from brave_bridge.machines.kinds import ByKind
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.queries import Query, Seen

_AROUND = 1024
"""Bytes of a frame beside the content that it carries, a note of what was cut out included."""


def _frame_of(limit: int) -> int:
    """The bytes of a frame that carries so much content (RFC 4648, base 64)."""
    return min((limit + _AROUND) * 4 // 3 + _AROUND, MOST_BYTES)


def _content(
    line: Line, service: str, method: str, name: str, limit: int, kind: Any = bytes
) -> Any:
    """What a method reads of at most ``limit`` bytes, and no more of it than that."""
    return line.call(service, method, name, limit, kind=kind, largest=_frame_of(limit))


class AgentFiles:
    """See Files."""

    def __init__(self, line: Line) -> None:
        self._line = line

    def read(self, path: str, limit: int) -> bytes:
        """See Files."""
        return _content(self._line, "files", "read", path, limit)

    def read_if_there(self, path: str, limit: int) -> bytes | None:
        """See Files."""
        return _content(self._line, "files", "read_if_there", path, limit, kind=bytes | None)

    def write(self, path: str, content: bytes, mode: int | None = None) -> None:
        """See Files."""
        self._line.call("files", "write", path, content, mode)

    def remove(self, path: str) -> None:
        """See Files."""
        self._line.call("files", "remove", path)

    def remove_folder(self, path: str) -> None:
        """See Files."""
        self._line.call("files", "remove_folder", path)

    def move(self, source: str, target: str) -> None:
        """See Files."""
        self._line.call("files", "move", source, target)

    def copy(self, source: str, target: str) -> None:
        """See Files."""
        self._line.call("files", "copy", source, target)

    def matching(self, pattern: str) -> list[str]:
        """See Files."""
        return self._line.call("files", "matching", pattern, kind=list[str])

    def below(self, folder: str) -> list[str]:
        """See Files."""
        return self._line.call("files", "below", folder, kind=list[str])

    def is_file(self, path: str) -> bool:
        """See Files."""
        return self._line.call("files", "is_file", path, kind=bool)

    def gather(self, queries: Iterable[Query]) -> Seen:
        """See Files."""
        return self._line.call("files", "gather", tuple(queries), kind=Seen)


class AgentJobs:
    """See Jobs."""

    def __init__(self, line: Line) -> None:
        self._line = line

    def start(
        self,
        job: str,
        argv: Sequence[str],
        environment: Mapping[str, str],
        first: Sequence[str] = (),
    ) -> None:
        """See Jobs."""
        self._line.call("jobs", "start", job, tuple(argv), dict(environment), tuple(first))

    def hand(self, argv: Sequence[str], secret: bytes, limit_seconds: float) -> tuple[int, bytes]:
        """See Jobs."""
        return self._line.call(
            "jobs", "hand", tuple(argv), secret, limit_seconds, kind=tuple[int, bytes]
        )

    def running(self) -> tuple[str, ...]:
        """See Jobs."""
        return self._line.call("jobs", "running", kind=tuple[str, ...])

    def state_of(self, job: str) -> JobState | None:
        """See Jobs."""
        return self._line.call("jobs", "state_of", job, kind=JobState | None)

    def output_of(self, job: str, limit: int) -> bytes:
        """See Jobs."""
        return _content(self._line, "jobs", "output_of", job, limit)

    def last_status(self, job: str) -> str:
        """See Jobs."""
        return self._line.call("jobs", "last_status", job, kind=str)

    def lines_of(self, job: str) -> int:
        """See Jobs."""
        return self._line.call("jobs", "lines_of", job, kind=int)

    def last_line(self, job: str) -> str:
        """See Jobs."""
        return self._line.call("jobs", "last_line", job, kind=str)


class AgentState:
    """See State. ``folder`` is where what must be a file on this side is kept."""

    def __init__(self, line: Line, owner: str, where: str, folder: Path) -> None:
        self._line = line
        self.owner = owner
        self._folder = Beneath(folder.parent, folder.name, ours=True)
        self.where = where

    def _call(
        self, method: str, *arguments: object, kind: object = None, largest: int = MOST_BYTES
    ):
        given = list(arguments)
        return self._line.call("state", "call", method, given, kind=kind, largest=largest)

    def is_there(self) -> bool:
        """See State."""
        return self._call("is_there", kind=bool)

    def can_be_read(self) -> bool:
        """See State."""
        return self._call("can_be_read", kind=bool)

    def must_be_trusted(self) -> None:
        """See State."""
        self._call("must_be_trusted")

    def make(self) -> None:
        """See State."""
        self._call("make")
        self._folder.make_folder()

    def read(self, name: str, limit: int) -> bytes | None:
        """See State."""
        kind = bytes | None
        return self._call("read", name, limit, kind=kind, largest=_frame_of(limit))

    def write(self, name: str, content: bytes) -> None:
        """See State."""
        self._call("write", name, content)

    def remove(self, name: str) -> None:
        """See State."""
        self._call("remove", name)

    def names(self, pattern: str = "*") -> list[str]:
        """See State."""
        return self._call("names", pattern, kind=list[str])

    @contextlib.contextmanager
    def changing(self, name: str) -> Iterator[None]:
        """See State."""
        self._line.call("state", "begin_change", name)
        try:
            yield
        finally:
            self._line.call("state", "end_change", name)

    def set_aside(self, name: str) -> str:
        """See State."""
        return self._call("set_aside", name, kind=str)

    def hold(self, name: str) -> contextlib.ExitStack | None:
        """See State."""
        if not self._line.call("state", "hold", name, kind=bool):
            return None
        held = contextlib.ExitStack()
        held.callback(self._line.call, "state", "let_go", name)
        return held

    def is_held(self, name: str) -> bool:
        """See State."""
        return self._call("is_held", name, kind=bool)

    def here(self, name: str) -> Beneath:
        """See State."""
        return self._folder / name

    def write_speed(self) -> float:
        """See State."""
        return self._call("write_speed", kind=float)

    def database(self, name: str) -> str:
        """See State."""
        return f"sqlite:///{(self._folder / name).path}"


class AgentMachine(ByKind):
    """See Machine. ``folder`` is where what must be a file on this side is kept."""

    is_this_system = False

    def __init__(self, name: str, line: Line, folder: Path) -> None:
        self.name = name
        self.line = line
        told: dict[str, str] = line.call("about", "machine", kind=dict[str, str])
        self.kind: str = told["kind"]
        self.files = AgentFiles(line)
        self.jobs = AgentJobs(line)
        self.state = AgentState(line, name, f"{name}:{told['where']}", folder)
