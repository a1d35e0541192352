"""A machine whose files stand under a folder here; how commands run is the subclass's part."""

import contextlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path

from brave_bridge.machines import jobs
from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.gathering import Gathering
from brave_bridge.machines.kinds import ByKind
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.queries import Answer, Answers, Knocks, Query, Seen
from brave_bridge.machines.reach import FolderReach, below, expanded
from brave_bridge.machines.rooted import inside

_RIGHT = "run it with the right to write there"
_FOLDER_MODE = 0o755

Asked = Callable[[Answers], dict[tuple[str, ...], Answer]]


class FolderFiles:
    """Files by path under a root. See Files.

    ``answers`` asks commands that only look, ``knocks`` knocks at what listens; a system that
    does not run answers nothing.
    """

    def __init__(
        self,
        machine: str,
        root: Path,
        answers: Asked = lambda query: {},
        knocks: Callable[[Knocks], dict[str, str]] = lambda query: {},
    ) -> None:
        self.machine = machine
        self.root = root
        self._answers = answers
        self._knocks = knocks

    def place(self, path: str, *, follow_last: bool = True) -> Path:
        """Where a path stands here, to be told, or handed to a tool of the operating system."""
        with self._told(f"finding {path}"):
            return inside(self.root, path, follow_last=follow_last)

    def beneath(self, path: str, *, follow_last: bool = True, ours: bool = False) -> Beneath:
        """What stands at a path, its links resolved inside the root and followed no further.

        ``ours`` is what nobody else may have put there.
        """
        found = self.place(path, follow_last=follow_last).relative_to(self.root)
        return Beneath(self.root, "" if found == Path() else str(found), ours=ours)

    @contextlib.contextmanager
    def _told(self, attempted: str, remedy: str = "") -> Iterator[None]:
        try:
            yield
        except OSError as error:
            remedy = remedy if isinstance(error, PermissionError) else ""
            seen = error.strerror or str(error)
            raise MachineError(attempted, self.machine, seen, remedy) from error

    def read(self, path: str, limit: int) -> bytes:
        """See Files."""
        with self._told(f"reading {path}"):
            return self.beneath(path).read(limit)

    def read_if_there(self, path: str, limit: int) -> bytes | None:
        """See Files."""
        return self.read(path, limit) if self.is_file(path) else None

    def write(self, path: str, content: bytes, mode: int | None = None) -> None:
        """See Files."""
        with self._told(f"writing {path}", _RIGHT):
            place = self.beneath(path)
            place.above.make_folder(_FOLDER_MODE)
            place.write(content, mode)

    def remove(self, path: str) -> None:
        """See Files."""
        with self._told(f"removing {path}"):
            self.beneath(path, follow_last=False).remove()

    def remove_folder(self, path: str) -> None:
        """See Files."""
        with self._told(f"removing {path}"):
            place = self.beneath(path, follow_last=False)
            if place.is_folder():
                place.remove_all()

    def move(self, source: str, target: str) -> None:
        """See Files."""
        with self._told(f"moving {source} to {target}"):
            place = self.beneath(target, follow_last=False)
            self.beneath(source, follow_last=False).move_to(place)

    def copy(self, source: str, target: str) -> None:
        """See Files."""
        with self._told(f"copying {source} to {target}", _RIGHT):
            place = self.beneath(target)
            place.above.make_folder(_FOLDER_MODE)
            place.hold_what(self.beneath(source, follow_last=False))

    def matching(self, pattern: str) -> list[str]:
        """See Files."""
        with self._reach() as reach:
            found = expanded(reach, (pattern,), {})
            return [path for path in found if self._stands(reach, path)]

    def _stands(self, reach: FolderReach, path: str) -> bool:
        try:
            return reach.found(path) is not None
        except OSError:
            return False

    def below(self, folder: str) -> list[str]:
        """See Files."""
        with self._reach() as reach:
            return sorted(below(reach, folder))

    def is_file(self, path: str) -> bool:
        """See Files."""
        try:
            return self.beneath(path).is_file()
        except MachineError:
            return False

    def _reach(self) -> FolderReach:
        with self._told("looking at its files"):
            return FolderReach(str(self.root))

    def gather(self, queries: Iterable[Query]) -> Seen:
        """See Files."""
        with self._reach() as reach:
            gathering = Gathering(reach)
            for query in queries:
                if isinstance(query, Answers):
                    gathering.seen.answers.update(self._answers(query))
                elif isinstance(query, Knocks):
                    gathering.seen.knocks.update(self._knocks(query))
                else:
                    gathering.grant(query)
            return gathering.seen


class FolderJobs:
    """Jobs whose records are in a folder here. See Jobs. ``wrapped`` says how an argv is run."""

    def __init__(
        self, machine: str, folder: Beneath, wrapped: Callable[[Sequence[str]], list[str]]
    ) -> None:
        self.machine = machine
        self.folder = folder
        self._wrapped = wrapped

    def start(
        self,
        job: str,
        argv: Sequence[str],
        environment: Mapping[str, str],
        first: Sequence[str] = (),
    ) -> None:
        """See Jobs."""
        folder = self._of(job)
        if jobs.state_of(folder) is None:
            try:
                before = self._wrapped(first) if first else ()
                jobs.launch(folder, self._wrapped(argv), environment, argv, before)
            except OSError as error:
                seen = error.strerror or str(error)
                raise MachineError(f"starting {argv[0]}", self.machine, seen) from error

    def hand(self, argv: Sequence[str], secret: bytes, limit_seconds: float) -> tuple[int, bytes]:
        """See Jobs."""
        attempted = f"running {argv[0]}"
        try:
            return jobs.hand(self._wrapped(argv), secret, limit_seconds)
        except TimeoutError as error:
            seen = f"it did not end within {limit_seconds:.0f} s"
            raise MachineError(attempted, self.machine, seen) from error
        except OSError as error:
            raise MachineError(attempted, self.machine, error.strerror or str(error)) from error

    def running(self) -> tuple[str, ...]:
        """See Jobs."""
        return tuple(folder.name for folder in jobs.running_in(self.folder))

    def _of(self, job: str) -> Beneath:
        if "/" in job or job in ("", ".", ".."):
            raise ValueError(f"no name of a job: {job!r}")
        return self.folder / job

    def state_of(self, job: str) -> jobs.JobState | None:
        """See Jobs."""
        return jobs.state_of(self._of(job))

    def output_of(self, job: str, limit: int) -> bytes:
        """See Jobs."""
        return jobs.output_of(self._of(job), limit)

    def last_status(self, job: str) -> str:
        """See Jobs."""
        return jobs.last_status(self._of(job))

    def lines_of(self, job: str) -> int:
        """See Jobs."""
        return jobs.lines_of(self._of(job))

    def last_line(self, job: str) -> str:
        """See Jobs."""
        return jobs.last_line(self._of(job))


class FolderMachine(ByKind):
    """A machine over a folder. What works beside the files (``snapshots``) is handed this."""

    def __init__(self, name: str, root: Path) -> None:
        self.name = name
        self.root = root
        self.files = FolderFiles(name, root, self._answers, self._knocks)
        trusted_above = None if self.is_pretended else root
        self.state = FolderState(name, self.files.place(STATE_FOLDER), trusted_above)
        self.jobs = FolderJobs(name, self.state.beneath / "jobs", self._wrapped)

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        """The argv that runs ``argv`` on the machine."""
        raise NotImplementedError

    def _answers(self, query: Answers) -> dict[tuple[str, ...], Answer]:
        """What commands that only look answer; a system that does not run answers nothing."""
        return {}

    def _knocks(self, query: Knocks) -> dict[str, str]:
        """What listens, and what it does; on a system that does not run nothing does."""
        return {}
