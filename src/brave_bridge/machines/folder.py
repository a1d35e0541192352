"""A machine whose files stand under a folder here; how commands run is the subclass's part."""

import contextlib
import fnmatch
import os
import stat
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

from brave_bridge.machines import jobs
from brave_bridge.machines.gathering import Gathering
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.rooted import inside
from brave_bridge.machines.wishes import Answer, Answers, Seen, Wish


class FolderMachine:
    """Files by path under a root; jobs started through ``_wrapped``."""

    kind = "tree"

    def __init__(self, name: str, root: Path) -> None:
        self.name = name
        self.root = root
        self.state = self._place(STATE_FOLDER)

    @property
    def is_this_system(self) -> bool:
        """See Machine."""
        return self.kind == "running"

    @property
    def is_mounted_only(self) -> bool:
        """See Machine."""
        return self.kind == "tree"

    @property
    def is_pretended(self) -> bool:
        """See Machine."""
        return self.kind == "stand-in"

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        """The argv that runs ``argv`` on the machine."""
        raise NotImplementedError

    def _answers(self, wish: Answers) -> dict[tuple[str, ...], Answer]:
        """What commands that only look answer; a system that does not run answers nothing."""
        return {}

    def _place(self, path: str, *, follow_last: bool = True) -> Path:
        try:
            return inside(self.root, path, follow_last=follow_last)
        except OSError as error:
            raise MachineError(f"finding {path}", self.name, error.strerror or "") from error

    def read(self, path: str, limit: int) -> bytes:
        try:
            with open(self._place(path), "rb", opener=_without_waiting) as stream:
                if not stat.S_ISREG(os.fstat(stream.fileno()).st_mode):
                    raise MachineError(f"reading {path}", self.name, "not a regular file")
                content = stream.read(limit + 1)
        except OSError as error:
            raise MachineError(f"reading {path}", self.name, error.strerror or "") from error
        if len(content) > limit:
            raise MachineError(f"reading {path}", self.name, f"longer than {limit} bytes")
        return content

    def read_if_there(self, path: str, limit: int) -> bytes | None:
        return self.read(path, limit) if self.is_file(path) else None

    def write(self, path: str, content: bytes, mode: int | None = None) -> None:
        place = self._place(path)
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            replace_file(place, content, mode)
        except OSError as error:
            raise MachineError(
                f"writing {path}",
                self.name,
                error.strerror or str(error),
                "run it with the right to write there"
                if isinstance(error, PermissionError)
                else "",
            ) from error

    def remove(self, path: str) -> None:
        try:
            self._place(path, follow_last=False).unlink(missing_ok=True)
        except OSError as error:
            raise MachineError(f"removing {path}", self.name, error.strerror or "") from error

    def move(self, source: str, target: str) -> None:
        try:
            os.replace(
                self._place(source, follow_last=False), self._place(target, follow_last=False)
            )
        except OSError as error:
            raise MachineError(
                f"moving {source} to {target}", self.name, error.strerror or ""
            ) from error

    def matching(self, pattern: str) -> list[str]:
        folder, _, name = pattern.rpartition("/")
        place = self._place(folder or "/")
        try:
            names = sorted(os.listdir(place))
        except OSError:
            return []
        return [f"{folder}/{found}" for found in names if fnmatch.fnmatchcase(found, name)]

    def below(self, folder: str) -> list[str]:
        place = self._place(folder)
        found: list[str] = []
        for parent, _, names in os.walk(place):
            relative = os.path.relpath(parent, place)
            prefix = folder if relative == "." else f"{folder}/{relative}"
            found += [
                f"{prefix}/{name}" for name in names if _is_plain_file(os.path.join(parent, name))
            ]
        return sorted(found)

    def is_file(self, path: str) -> bool:
        try:
            return stat.S_ISREG(self._place(path).stat().st_mode)
        except (OSError, MachineError):
            return False

    def gather(self, wishes: Iterable[Wish]) -> Seen:
        gathering = Gathering(str(self.root))
        for wish in wishes:
            if isinstance(wish, Answers):
                gathering.seen.answers.update(self._answers(wish))
            else:
                gathering.grant(wish)
        return gathering.seen

    def start(self, job: str, argv: Sequence[str], environment: Mapping[str, str]) -> None:
        folder = self.state / "jobs" / job
        if jobs.state_of(folder) is None:
            try:
                jobs.launch(folder, self._wrapped(argv), environment, argv)
            except OSError as error:
                raise MachineError(
                    f"starting {argv[0]}", self.name, error.strerror or ""
                ) from error

    def job(self, job: str) -> jobs.JobState | None:
        return jobs.state_of(self.state / "jobs" / job)


def _is_plain_file(path: str) -> bool:
    """Whether a regular file is there: what vanishes while a folder is listed is not."""
    try:
        return stat.S_ISREG(os.lstat(path).st_mode)
    except OSError:
        return False


def _without_waiting(path: str, flags: int) -> int:
    """Open even a pipe at once, so that what is no regular file can be refused."""
    return os.open(path, flags | os.O_NONBLOCK)


def replace_file(place: Path, content: bytes, mode: int | None = None) -> None:
    """Write beside the file, sync, take over owner, mode and attributes, rename. OSError.

    Beside it under a name that nobody can know before: the folder may be somebody else's.
    """
    descriptor, temporary = tempfile.mkstemp(prefix=".brave-bridge-", dir=place.parent)
    try:
        with os.fdopen(descriptor, "wb") as stream:
            stream.write(content)
            _take_over(stream.fileno(), place, mode)
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(temporary, place)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise
    _sync_folder(place.parent)


def _take_over(descriptor: int, place: Path, mode: int | None) -> None:
    try:
        present = os.stat(place)
    except FileNotFoundError:
        os.fchmod(descriptor, 0o644 if mode is None else mode)
        return
    if (present.st_uid, present.st_gid) != (os.geteuid(), os.getegid()):
        os.fchown(descriptor, present.st_uid, present.st_gid)
    os.fchmod(descriptor, stat.S_IMODE(present.st_mode) if mode is None else mode)
    for name in os.listxattr(place):
        with contextlib.suppress(OSError):
            os.setxattr(descriptor, name, os.getxattr(place, name))


def _sync_folder(folder: Path) -> None:
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
