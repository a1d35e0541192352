"""A machine that is only in memory: files, links and scripted commands, for what is tried out."""

import contextlib
import fnmatch
import io
import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import BinaryIO

from brave_bridge.machines.gathering import Gathering
from brave_bridge.machines.jobs import JobState
from brave_bridge.machines.kinds import ByKind
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.queries import Answer, Answers, Found, Knocks, Query, Room, Seen
from brave_bridge.machines.reach import below, expanded
from brave_bridge.machines.rooted import located

Ran = tuple[int, str]
"""What a command comes to: its exit code and its output."""


class Tree:
    """Contents of files, and targets of links, by absolute path. See Reach."""

    def __init__(self, files: Mapping[str, bytes | str], links: Mapping[str, str] = {}) -> None:
        self.files = {p: c.encode() if isinstance(c, str) else c for p, c in files.items()}
        self.links = dict(links)

    def place(self, path: str, *, follow_last: bool = True) -> str:
        """The path itself once links are resolved."""
        return located("", path, follow_last=follow_last, readlink=self._readlink)

    def _readlink(self, path: str) -> str:
        if path not in self.links:
            raise OSError
        return self.links[path]

    def opened(self, path: str) -> BinaryIO | None:
        """See Reach."""
        content = self.files.get(self.place(path))
        return None if content is None else io.BytesIO(content)

    def found(self, path: str) -> Found | None:
        """See Reach."""
        place = self.place(path, follow_last=False)
        if place in self.links:
            return Found(path, "link", len(self.links[place]))
        if place in self.files:
            return Found(path, "file", len(self.files[place]))
        return Found(path, "folder", 0) if self._below(place) else None

    def link(self, path: str) -> str | None:
        """See Reach."""
        return self.links.get(self.place(path, follow_last=False))

    def names(self, folder: str) -> list[str]:
        """See Reach."""
        inside = self.place(folder).rstrip("/") + "/"
        return sorted({path[len(inside) :].split("/")[0] for path in self._below(inside)})

    def entries(self, folder: str) -> list[tuple[str, str]]:
        """See Reach."""
        above = self.place(folder).rstrip("/")
        seen = ((name, self.found(f"{above}/{name}")) for name in self.names(folder))
        return [(name, found.kind) for name, found in seen if found]

    def room(self, path: str) -> Room | None:
        """See Reach."""
        return Room(1 << 40, 1 << 41, 1 << 20, 1 << 21, 1) if self.found(path) else None

    def _below(self, folder: str) -> list[str]:
        inside = folder.rstrip("/") + "/"
        return [path for path in (*self.files, *self.links) if path.startswith(inside)]


class MemoryFiles:
    """See Files. ``answers`` are those of commands that only look."""

    def __init__(self, machine: str, tree: Tree, answers: Mapping[tuple[str, ...], Answer]) -> None:
        self.machine = machine
        self.tree = tree
        self.answers = dict(answers)
        self.knocks: dict[str, str] = {}

    def read(self, path: str, limit: int) -> bytes:
        """See Files."""
        content = self.tree.files.get(self.tree.place(path))
        if content is None:
            raise MachineError(f"reading {path}", self.machine, "there is no such file")
        if len(content) > limit:
            raise MachineError(f"reading {path}", self.machine, f"longer than {limit} bytes")
        return content

    def read_if_there(self, path: str, limit: int) -> bytes | None:
        """See Files."""
        return self.read(path, limit) if self.is_file(path) else None

    def write(self, path: str, content: bytes, mode: int | None = None) -> None:
        """See Files."""
        self.tree.files[self.tree.place(path)] = content

    def remove(self, path: str) -> None:
        """See Files."""
        place = self.tree.place(path, follow_last=False)
        self.tree.files.pop(place, None)
        self.tree.links.pop(place, None)

    def remove_folder(self, path: str) -> None:
        """See Files."""
        for inner in below(self.tree, path):
            self.remove(inner)

    def move(self, source: str, target: str) -> None:
        """See Files."""
        self.copy(source, target)
        self.remove(source)

    def copy(self, source: str, target: str) -> None:
        """See Files."""
        self.write(target, self.read(source, 1 << 40))

    def matching(self, pattern: str) -> list[str]:
        """See Files."""
        return [path for path in expanded(self.tree, (pattern,), {}) if self.tree.found(path)]

    def below(self, folder: str) -> list[str]:
        """See Files."""
        return sorted(below(self.tree, folder))

    def is_file(self, path: str) -> bool:
        """See Files."""
        return self.tree.place(path) in self.tree.files

    def gather(self, queries: Iterable[Query]) -> Seen:
        """See Files."""
        gathering = Gathering(self.tree)
        for query in queries:
            if isinstance(query, Answers):
                known = {c: self.answers[c] for c in query.commands if c in self.answers}
                gathering.seen.answers.update(known)
            elif isinstance(query, Knocks):
                gathering.seen.knocks.update(self.knocks)
            else:
                gathering.grant(query)
        return gathering.seen


class MemoryJobs:
    """See Jobs. Every command is over at once, and came to what ``run`` says."""

    def __init__(self, run: Callable[[Sequence[str]], Ran]) -> None:
        self._run = run
        self.started: dict[str, tuple[str, ...]] = {}
        self._ran: dict[str, Ran] = {}

    def start(
        self,
        job: str,
        argv: Sequence[str],
        environment: Mapping[str, str],
        first: Sequence[str] = (),
    ) -> None:
        """See Jobs."""
        if job not in self.started:
            self.started[job] = tuple(argv)
            before = self._run(first) if first else (0, "")
            self._ran[job] = before if before[0] else self._run(argv)

    def running(self) -> tuple[str, ...]:
        """See Jobs."""
        return ()

    def state_of(self, job: str) -> JobState | None:
        """See Jobs."""
        return JobState("ended", self._ran[job][0], 0.0) if job in self._ran else None

    def output_of(self, job: str, limit: int) -> bytes:
        """See Jobs."""
        return self._ran[job][1].encode()[:limit] if job in self._ran else b""

    def last_status(self, job: str) -> str:
        """See Jobs."""
        return ""

    def lines_of(self, job: str) -> int:
        """See Jobs."""
        return self.output_of(job, 1 << 20).count(b"\n")

    def last_line(self, job: str) -> str:
        """See Jobs."""
        return (self.output_of(job, 1 << 20).decode().splitlines() or [""])[-1]


class MemoryState:
    """See State. ``folder`` is where what must be a file is kept."""

    where = STATE_FOLDER

    def __init__(self, machine: str, folder: Path) -> None:
        self.owner = machine
        self.kept: dict[str, bytes] = {}
        self._held: set[str] = set()
        self._folder = folder

    def is_there(self) -> bool:
        """See State."""
        return bool(self.kept)

    def can_be_read(self) -> bool:
        """See State."""
        return True

    def must_be_trusted(self) -> None:
        """See State."""

    def make(self) -> None:
        """See State."""

    def read(self, name: str, limit: int) -> bytes | None:
        """See State."""
        content = self.kept.get(name)
        if content is not None and len(content) > limit:
            raise MachineError(f"reading {name}", self.owner, f"longer than {limit} bytes")
        return content

    def write(self, name: str, content: bytes) -> None:
        """See State."""
        self.kept[name] = content

    def remove(self, name: str) -> None:
        """See State."""
        self.kept.pop(name, None)

    def names(self, pattern: str = "*") -> list[str]:
        """See State."""
        depth = pattern.count("/")
        return sorted(n for n in fnmatch.filter(self.kept, pattern) if n.count("/") == depth)

    @contextlib.contextmanager
    def changing(self, name: str) -> Iterator[None]:
        """See State."""
        yield

    def set_aside(self, name: str) -> str:
        """See State."""
        aside = f"{name}.damaged-{len(self.kept)}"
        self.kept[aside] = self.kept.pop(name)
        return aside

    def hold(self, name: str) -> contextlib.ExitStack | None:
        """See State."""
        if name in self._held:
            return None
        self._held.add(name)
        held = contextlib.ExitStack()
        held.callback(self._held.discard, name)
        return held

    def is_held(self, name: str) -> bool:
        """See State."""
        return name in self._held

    def here(self, name: str) -> Beneath:
        """See State."""
        return Beneath(self._folder, name)

    def write_speed(self) -> float:
        """See State."""
        return 0.0

    def database(self, name: str) -> str:
        """See State."""
        return f"sqlite:///{self._folder / name}"


class MemoryMachine(ByKind):
    """See Machine. ``run`` says what commands come to; by itself nothing is installed."""

    is_this_system = False

    def __init__(
        self,
        name: str,
        files: Mapping[str, bytes | str],
        *,
        links: Mapping[str, str] = {},
        kind: str = "running",
        answers: Mapping[tuple[str, ...], Answer] = {},
        run: Callable[[Sequence[str]], Ran] = lambda argv: (127, f"{argv[0]}: not found\n"),
        folder: Path = Path(os.devnull),
    ) -> None:
        self.name = name
        self.kind = kind
        self.files = MemoryFiles(name, Tree(files, links), answers)
        self.jobs = MemoryJobs(run)
        self.state = MemoryState(name, folder)
