"""The state folder of a machine: whether it may be trusted, and one change of it at a time.

What stands in it leads procedures of root. It is used only where nobody but its owner can
have written there, and where no link leads out of it.
"""

import fcntl
import os
import stat
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from brave_bridge.machines.port import Machine, MachineError

_OTHERS_WRITE = stat.S_IWGRP | stat.S_IWOTH
_POLL_SECONDS = 0.02


def must_be_trusted(machine: Machine) -> None:
    """MachineError where somebody else can have written the machine's state, or a link is in it.

    A state folder that is not there yet is trusted where the folders above it are.
    """
    fault = _fault_above(machine) or _fault_within(machine.state)
    if fault:
        raise MachineError(f"trusting {machine.state}", machine.name, *fault)


def _fault_above(machine: Machine) -> tuple[str, str] | None:
    if machine.is_pretended:
        return None
    inside = machine.state.relative_to(machine.root).parts
    for depth in range(len(inside)):
        folder = machine.root.joinpath(*inside[:depth])
        try:
            seen = os.lstat(folder)
        except FileNotFoundError:
            return None
        if not stat.S_ISDIR(seen.st_mode):
            return f"{folder} is no folder", "put a folder in its place"
        if seen.st_uid not in (0, os.geteuid()):
            return f"{folder} belongs to user {seen.st_uid}", f"chown root {folder}"
        if seen.st_mode & _writers(seen):
            return f"{folder} can be written by others", f"chmod go-w {folder}"
    return None


def _writers(seen: os.stat_result) -> int:
    """The write bits that let somebody else in: root's own group is nobody else."""
    return stat.S_IWOTH if seen.st_gid == 0 else _OTHERS_WRITE


def _fault_within(state: Path) -> tuple[str, str] | None:
    try:
        seen = os.lstat(state)
    except FileNotFoundError:
        return None
    if not stat.S_ISDIR(seen.st_mode):
        return "it is no folder", f"look at it, then move it away: mv {state} {state}.aside"
    if seen.st_uid not in (0, os.geteuid()):
        return f"it belongs to user {seen.st_uid}", f"look through it, then chown -R root {state}"
    if seen.st_mode & _writers(seen):
        return "others can write to it", f"look through it, then chmod 700 {state}"
    try:
        links = sorted(entry.name for entry in os.scandir(state) if entry.is_symlink())
    except PermissionError:
        return None
    if links:
        named = state / links[0]
        return (
            f"a link stands in it: {links[0]}",
            f"put in its place what it leads to, or a bind mount of that: rm {named}",
        )
    return None


@contextmanager
def changing(path: Path, machine: str, seconds: float = 30.0) -> Iterator[None]:
    """Hold a file for a change: what is read inside is what is changed (flock(2)).

    The lock is a file beside it. MachineError where another holds it for so many seconds.
    """
    lock = path.with_name(f"{path.name}.lock")
    try:
        descriptor = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
    except OSError as error:
        raise MachineError(f"changing {path}", machine, error.strerror or str(error)) from error
    try:
        _wait_for(descriptor, path, machine, time.monotonic() + seconds)
        yield
    finally:
        os.close(descriptor)


def _wait_for(descriptor: int, path: Path, machine: str, until: float) -> None:
    while True:
        try:
            return fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if time.monotonic() > until:
                raise MachineError(
                    f"changing {path}", machine, "another program is changing it",
                    "try again when it has ended",
                ) from None  # fmt: skip
        time.sleep(_POLL_SECONDS)
