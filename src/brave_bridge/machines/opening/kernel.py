"""Opening a path below an open folder, so that nothing leads out (openat2(2)).

No link is followed on the way nor at the end, no ``..`` is gone. Kernels before 5.6 have no such
call: there the way is gone step by step, each link refused in the same way.
"""

import ctypes
import errno
import os
import stat
import struct
from collections.abc import Iterator

_OPENAT2 = 437
_NO_XDEV, _NO_SYMLINKS, _BENEATH = 0x01, 0x04, 0x08
_PATH_MAX, _BYTES_OF_A_CHARACTER = 4096, 4
_libc = ctypes.CDLL(None, use_errno=True)
_libc.syscall.restype = ctypes.c_long
_kernel_has_openat2 = True
_hows: dict[tuple[int, int, bool], bytes] = {}

FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
ON_THE_WAY = os.O_PATH | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
"""A folder that only leads to what is in it: whoever may go through need not be let see it."""

LINK_IN_THE_WAY = "a link stands in the way"


def open_top(path: str, flags: int = FOLDER) -> int:
    """Open the folder that all else is opened beneath; links on the way to it are the caller's."""
    return os.open(path, flags & ~os.O_NOFOLLOW)


def open_beneath(
    folder: int, path: str, flags: int = FOLDER, mode: int = 0, *, within_mount: bool = False
) -> int:
    """Open a path below an open folder; empty for the folder itself.

    OSError(ELOOP) where a link stands in the way, OSError(EXDEV) where a mount does and
    ``within_mount`` is asked for.
    """
    global _kernel_has_openat2
    if not path:
        return os.dup(folder)
    if len(path) * _BYTES_OF_A_CHARACTER >= _PATH_MAX and len(os.fsencode(path)) >= _PATH_MAX:
        return _open_in_parts(folder, path, flags, mode, within_mount)
    if _kernel_has_openat2:
        how = _hows.get((flags, mode, within_mount)) or _new_how(flags, mode, within_mount)
        found = _libc.syscall(_OPENAT2, folder, os.fsencode(path), how, len(how))
        if found >= 0:
            return found
        code = ctypes.get_errno()
        if code not in (errno.ENOSYS, errno.EPERM):
            raise _error(code, path, folder)
        # A filter of system calls answers EPERM; so does the kernel for some files.
        _kernel_has_openat2 = code != errno.ENOSYS
    return _open_stepwise(folder, path, flags, mode, within_mount)


def _new_how(flags: int, mode: int, within_mount: bool) -> bytes:
    resolve = _BENEATH | _NO_SYMLINKS | (_NO_XDEV if within_mount else 0)
    how = struct.pack("QQQ", flags | os.O_CLOEXEC, mode, resolve)
    _hows[(flags, mode, within_mount)] = how
    return how


def _error(code: int, path: str, folder: int = -1) -> OSError:
    """ENOTDIR is what a link at the end is told by, where a folder is wanted."""
    is_link = code == errno.ELOOP or (code == errno.ENOTDIR and _is_link(folder, path))
    return OSError(code, LINK_IN_THE_WAY if is_link else os.strerror(code), path)


def _open_in_parts(folder: int, path: str, flags: int, mode: int, within_mount: bool) -> int:
    """Open a path that is longer than the kernel takes at once (path_resolution(7))."""
    *above, last = _parts(path)
    descriptor = os.dup(folder)
    try:
        for part in above:
            inner = open_beneath(descriptor, part, ON_THE_WAY, within_mount=within_mount)
            os.close(descriptor)
            descriptor = inner
        return open_beneath(descriptor, last, flags, mode, within_mount=within_mount)
    finally:
        os.close(descriptor)


def _parts(path: str) -> Iterator[str]:
    """A long path cut at slashes into paths that the kernel takes."""
    rest = os.fsencode(path)
    while len(rest) >= _PATH_MAX:
        end = rest.rfind(b"/", 0, _PATH_MAX)
        if end <= 0:
            raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG), path)
        yield os.fsdecode(rest[:end])
        rest = rest[end + 1 :]
    yield os.fsdecode(rest)


def _open_stepwise(folder: int, path: str, flags: int, mode: int, within_mount: bool) -> int:
    *above, last = path.split("/")
    descriptor = os.dup(folder)
    try:
        for name in above:
            inner = _step(descriptor, name, ON_THE_WAY, 0, path)
            os.close(descriptor)
            descriptor = inner
        found = _step(descriptor, last, flags | os.O_NOFOLLOW | os.O_CLOEXEC, mode, path)
        if within_mount and os.fstat(found).st_dev != os.fstat(folder).st_dev:
            os.close(found)
            raise _error(errno.EXDEV, path)
        return found
    finally:
        os.close(descriptor)


def _step(folder: int, name: str, flags: int, mode: int, path: str) -> int:
    if name in ("", ".", ".."):
        raise _error(errno.ELOOP, path)
    try:
        return os.open(name, flags, mode, dir_fd=folder)
    except OSError as error:
        found = _error(error.errno or errno.EIO, name, folder)
        raise OSError(found.errno, found.strerror, path) from error


def _is_link(folder: int, name: str) -> bool:
    try:
        return stat.S_ISLNK(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode)
    except OSError:
        return False
