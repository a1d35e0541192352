"""The ports of a machine: its files, its jobs and its state folder.

Everything above these ports is the same for a running system, a mounted tree, a stand-in and a
machine at the other end of a pipe. Paths are absolute paths *on the machine*: nobody above
knows where they stand from here.
"""

from collections.abc import Iterable, Mapping, Sequence
from contextlib import AbstractContextManager, ExitStack
from typing import Protocol

from brave_bridge.machines.jobs import JobState
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.queries import Query, Seen

STATE_FOLDER = "/var/lib/brave-bridge"
"""Where a machine keeps its logbook, jobs and snapshots: outside what a snapshot covers."""


class MachineError(Exception):
    """Something on a machine could not be done: what was attempted, where, what was seen."""

    def __init__(self, attempted: str, machine: str, seen: str, remedy: str = "") -> None:
        super().__init__(f"{attempted} on {machine}: {seen}")
        self.attempted = attempted
        self.machine = machine
        self.seen = seen
        self.remedy = remedy


class FilesToSee(Protocol):
    """Files that can be looked at."""

    def gather(self, queries: Iterable[Query]) -> Seen:
        """Grant a batch of queries in one round trip; what is not there is left out."""


class Files(FilesToSee, Protocol):
    """The files of a machine. MachineError where something is refused."""

    def read(self, path: str, limit: int) -> bytes:
        """A file's content; MachineError when it is longer than ``limit`` bytes or unreadable."""

    def read_if_there(self, path: str, limit: int) -> bytes | None:
        """A file's content, or None where there is no such file."""

    def write(self, path: str, content: bytes, mode: int | None = None) -> None:
        """Replace a file atomically, keeping its owner, mode and attributes."""

    def remove(self, path: str) -> None:
        """Remove a file if it is there."""

    def remove_folder(self, path: str) -> None:
        """Remove a folder and all in it, links not followed, if it is there."""

    def move(self, source: str, target: str) -> None:
        """Rename a file in place of another."""

    def copy(self, source: str, target: str) -> None:
        """Have a file hold what another holds, in one step.

        They may be one file with two names then: of what is written to in place no copy is made.
        """

    def matching(self, pattern: str) -> list[str]:
        """The paths that match a shell pattern, sorted. Links are followed inside the root."""

    def below(self, folder: str) -> list[str]:
        """The paths of all regular files below a folder."""

    def is_file(self, path: str) -> bool:
        """Whether a regular file stands there."""


class Jobs(Protocol):
    """Commands that run detached on a machine, by name."""

    def start(
        self,
        job: str,
        argv: Sequence[str],
        environment: Mapping[str, str],
        first: Sequence[str] = (),
    ) -> None:
        """Start a command; does nothing where that job was started before.

        ``first`` is a command that has to end well before it, in the same job.
        """

    def hand(self, argv: Sequence[str], secret: bytes, limit_seconds: float) -> tuple[int, bytes]:
        """Run a command at once with a secret at its standard input: its exit code and output.

        Nothing of it is kept in any folder. MachineError where it cannot be run, or takes longer.
        """

    def running(self) -> tuple[str, ...]:
        """The names of all jobs that run, sorted."""

    def state_of(self, job: str) -> JobState | None:
        """How a job stands; None where it was never started."""

    def output_of(self, job: str, limit: int) -> bytes:
        """A job's output, its middle cut out where it is longer than ``limit`` bytes."""

    def last_status(self, job: str) -> str:
        """The newest complete line that a command wrote to its status descriptor."""

    def lines_of(self, job: str) -> int:
        """How many lines a job's output has by now."""

    def last_line(self, job: str) -> str:
        """The newest line of a job's output."""


class State(Protocol):
    """A folder of small files that Brave Bridge keeps, by their names in it.

    It is that of a machine, or of a person's fleet: ``owner`` says whose.
    """

    owner: str

    @property
    def where(self) -> str:
        """What it is called to a person."""

    def is_there(self) -> bool:
        """Whether anything was ever kept."""

    def can_be_read(self) -> bool:
        """Whether this user may read it."""

    def must_be_trusted(self) -> None:
        """MachineError where somebody else can have written there, or a link leads out of it."""

    def make(self) -> None:
        """Make it where it is missing, trusted; MachineError where that is refused."""

    def read(self, name: str, limit: int) -> bytes | None:
        """A file's content, None where there is none; MachineError where it cannot be read."""

    def write(self, name: str, content: bytes) -> None:
        """Put a file in its place in one step, for its owner alone to read."""

    def remove(self, name: str) -> None:
        """Remove a file if it is there."""

    def names(self, pattern: str = "*") -> list[str]:
        """The names that match a shell pattern, sorted; with folders in it, paths from there."""

    def changing(self, name: str) -> AbstractContextManager[None]:
        """Hold a file for a change: what is read inside is what is changed.

        MachineError where somebody else holds it too long.
        """

    def set_aside(self, name: str) -> str:
        """Give a file that cannot be read another name beside it; that name."""

    def hold(self, name: str) -> ExitStack | None:
        """Hold a lock until that is closed, or the process ends; None where it is taken."""

    def is_held(self, name: str) -> bool:
        """Whether somebody holds that lock; whoever asks never holds it, not for an instant."""

    def here(self, name: str) -> Beneath:
        """A place on this side for what must be a file here, as the output of a process."""

    def write_speed(self) -> float:
        """Bytes a second that its file system takes; 0 where nobody can tell."""

    def database(self, name: str) -> str:
        """The address (a URL as SQLAlchemy reads it) of a database that is kept with it."""


class LookedAt(Protocol):
    """What a survey needs of a system; a way back is one, too."""

    name: str

    @property
    def kind(self) -> str:
        """``running``, ``tree`` or ``stand-in``: how records and facts name it."""

    @property
    def is_mounted_only(self) -> bool:
        """Whether it is a tree that is only mounted: nothing of it runs."""

    @property
    def files(self) -> FilesToSee:
        """Its files."""


class Machine(LookedAt, Protocol):
    """A machine that Brave Bridge looks after."""

    @property
    def is_this_system(self) -> bool:
        """Whether it is the very system that Brave Bridge runs on."""

    @property
    def is_pretended(self) -> bool:
        """Whether it is a stand-in, whose commands and archives are made up."""

    @property
    def files(self) -> Files:
        """Its files."""

    @property
    def jobs(self) -> Jobs:
        """Its jobs."""

    @property
    def state(self) -> State:
        """Its state folder."""
