"""Calls of the kernel that Python has no function for."""

import ctypes
import os

_RENAME_EXCHANGE = 2
_libc = ctypes.CDLL(None, use_errno=True)


def sync_file_system(folder: str | os.PathLike) -> None:
    """Flush the file system that holds a folder (syncfs(2))."""
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        if _libc.syncfs(descriptor) != 0:
            code = ctypes.get_errno()
            raise OSError(code, os.strerror(code), os.fspath(folder))
    finally:
        os.close(descriptor)


def exchange(name: str, parent: int, other: str, other_parent: int) -> None:
    """Swap two paths in one step (renameat2(2), RENAME_EXCHANGE)."""
    done = _libc.renameat2(
        parent, os.fsencode(name), other_parent, os.fsencode(other), _RENAME_EXCHANGE
    )
    if done != 0:
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code), other)
