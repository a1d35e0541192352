"""Removing one tree, however deep, without following a link or entering a mount."""

import contextlib
import errno
import os
import stat
from collections.abc import Callable
from functools import partial

import msgspec

from brave_bridge.machines.opening.kernel import open_beneath

_UP = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC


Attempt = Callable[[Callable[[], None], str, int], None]
"""Does a removal of a name in an open folder; a second try may open up what is locked first."""


def at_once(deed: Callable[[], None], name: str, parent: int) -> None:
    """The removal and nothing else."""
    deed()


def remove_tree(name: str, parent: int, attempt: Attempt = at_once) -> None:
    """Remove a path and, where it is a folder, all below it; nothing is done where it is not.

    Links are removed, not followed. OSError(EXDEV) where another file system is mounted in it.
    """
    # Others may remove at the same time.
    with contextlib.suppress(FileNotFoundError):
        status = os.stat(name, dir_fd=parent, follow_symlinks=False)
        if stat.S_ISDIR(status.st_mode):
            _Removal(name, parent, attempt).run()
        else:
            attempt(lambda: os.unlink(name, dir_fd=parent), name, parent)


class _Level(msgspec.Struct):
    """A folder on the way down: its name above, who it is, and the folders in it left to do."""

    name: str
    identity: tuple[int, int]
    folders: list[str]


class _Removal:
    """One folder open at a time: a tree may be deeper than files can be open."""

    def __init__(self, name: str, parent: int, attempt: Attempt) -> None:
        self._attempt = attempt
        self._here = os.dup(parent)
        self._way = [_Level("", _identity(parent), [name])]

    def run(self) -> None:
        try:
            while len(self._way) > 1 or self._way[0].folders:
                if self._way[-1].folders:
                    self._go_down(self._way[-1].folders.pop())
                else:
                    self._go_up()
        finally:
            os.close(self._here)

    def _go_down(self, name: str) -> None:
        try:
            inner = _entered(name, self._here)
        except FileNotFoundError:
            return
        os.close(self._here)
        self._here = inner
        self._way.append(_Level(name, _identity(inner), self._emptied_of_files(inner)))

    def _go_up(self) -> None:
        done = self._way.pop()
        above = os.open("..", _UP, dir_fd=self._here)
        os.close(self._here)
        self._here = above
        if _identity(above) != self._way[-1].identity:
            raise OSError(errno.ESTALE, "it was moved while it was removed", done.name)
        with contextlib.suppress(FileNotFoundError):
            self._attempt(lambda: os.rmdir(done.name, dir_fd=above), done.name, above)

    def _emptied_of_files(self, folder: int) -> list[str]:
        """Remove all but the folders in an open folder, which are returned."""
        with os.scandir(folder) as listing:
            found = [(entry.name, entry.is_dir(follow_symlinks=False)) for entry in listing]
        for name, is_folder in found:
            if not is_folder:
                with contextlib.suppress(FileNotFoundError):
                    self._attempt(partial(os.unlink, name, dir_fd=folder), name, folder)
        return [name for name, is_folder in found if is_folder]


def _entered(name: str, parent: int) -> int:
    apart = OSError(errno.EXDEV, "another file system is mounted there", name)
    status = os.stat(name, dir_fd=parent, follow_symlinks=False)
    if status.st_dev != os.fstat(parent).st_dev:
        raise apart
    try:
        return open_beneath(parent, name, within_mount=True)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        raise apart from error


def _identity(folder: int) -> tuple[int, int]:
    status = os.fstat(folder)
    return status.st_dev, status.st_ino
