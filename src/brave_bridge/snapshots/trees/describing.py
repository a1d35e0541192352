"""What stands at a path of a tree, as a manifest has it."""

import contextlib
import fcntl
import os
import stat
import struct

from brave_bridge.snapshots.trees.manifest import (
    BLOCK,
    CHARACTER,
    FILE,
    FOLDER,
    KNOWN_LATER,
    LINK,
    PLACE,
    PROJECT_INHERITED,
    Entry,
    encoded_name,
    encoded_path,
    encoded_xattr,
    type_of,
)
from brave_bridge.snapshots.trees.projects import project_of

_FS_IOC_GETFLAGS = 0x80086601
_NO_FLAGS = bytes(8)
_flags_in = struct.Struct("i").unpack_from

IMMUTABLE, APPEND_ONLY = 0x10, 0x20
KEPT_FLAGS = IMMUTABLE | APPEND_ONLY | 0x40 | 0x80
"""Immutable, append only, no dump, no access times: the flags that people set and take away."""


def read_xattrs(place: int | str) -> dict[str, str]:
    """Extended attributes of an open file, or of a path without following it."""
    follow = {} if isinstance(place, int) else {"follow_symlinks": False}
    try:
        names = os.listxattr(place, **follow)
    except OSError:
        return {}
    if not names:
        return {}
    found = {}
    for name in sorted(names):
        with contextlib.suppress(OSError):
            found[encoded_name(name)] = encoded_xattr(os.getxattr(place, name, **follow))
    return found


def inode_flags(descriptor: int) -> int:
    """All inode flags of an open file (ioctl_iflags(2)). OSError where its place has none."""
    return _flags_in(fcntl.ioctl(descriptor, _FS_IOC_GETFLAGS, _NO_FLAGS))[0]


def read_flags(descriptor: int) -> int:
    """Those of them that a snapshot keeps; 0 where there are none."""
    try:
        return inode_flags(descriptor) & (KEPT_FLAGS | KNOWN_LATER)
    except OSError:
        return 0


def proc_path(parent: int, name: str) -> str:
    """A path to a name in an open folder, for calls that take no folder descriptor."""
    return f"/proc/self/fd/{parent}/{name}"


def entry_of(
    path: str,
    status: os.stat_result,
    what: str,
    xattrs: dict[str, str],
    flags: int,
    project: int = 0,
) -> Entry:
    """The entry of what a status describes. ``path`` is relative to the root."""
    kind = type_of(status.st_mode)
    return Entry(
        kind,
        encoded_path(path),
        stat.S_IMODE(status.st_mode),
        status.st_uid,
        status.st_gid,
        status.st_mtime_ns,
        status.st_size if kind == FILE else 0,
        what,
        xattrs,
        status.st_ino if status.st_nlink > 1 and kind != FOLDER else 0,
        status.st_ino,
        status.st_ctime_ns,
        flags,
        project,
    )


def describe_open(path: str, descriptor: int, status: os.stat_result, what: str) -> Entry:
    """The entry of an open file or folder."""
    xattrs = read_xattrs(descriptor)
    flags = read_flags(descriptor)
    project = project_of(descriptor) if flags & PROJECT_INHERITED else 0
    return entry_of(path, status, what, xattrs, flags, project)


def plain_entry(
    path: str, descriptor: int, status: os.stat_result, digest: str, size: int
) -> Entry:
    """The entry of an open plain file of which ``size`` bytes were read.

    ``path`` as a manifest writes it.
    """
    inode = status.st_ino
    return Entry(
        FILE,
        path,
        status.st_mode & 0o7777,
        status.st_uid,
        status.st_gid,
        status.st_mtime_ns,
        size,
        digest,
        read_xattrs(descriptor),
        inode if status.st_nlink > 1 else 0,
        inode,
        status.st_ctime_ns,
        read_flags(descriptor),
    )


def describe_special(path: str, name: str, parent: int, status: os.stat_result) -> Entry:
    """The entry of a link, pipe or device."""
    kind = type_of(status.st_mode)
    what = ""
    if kind == LINK:
        what = encoded_path(os.readlink(name, dir_fd=parent))
    elif kind in (CHARACTER, BLOCK):
        what = f"{os.major(status.st_rdev)}:{os.minor(status.st_rdev)}"
    return entry_of(path, status, what, read_xattrs(proc_path(parent, name)), 0)


def place_entry(path: str, status: os.stat_result) -> Entry:
    """The entry of a folder whose contents are not covered."""
    mode = stat.S_IMODE(status.st_mode)
    return Entry(PLACE, encoded_path(path), mode, status.st_uid, status.st_gid, 0, 0, "", {}, 0)
