"""Copying one path of a tree with all that belongs to it, relative to open folders."""

import contextlib
import ctypes
import fcntl
import os
import stat
from pathlib import Path
from urllib.parse import unquote_to_bytes

from blake3 import blake3

from brave_bridge.snapshots.manifest import (
    BLOCK,
    CHARACTER,
    FIFO,
    FOLDER,
    LINK,
    PIECE,
    Entry,
    decoded_xattr,
    proc_path,
)

_FICLONE = 0x40049409
_ZEROS = bytes(PIECE)


def sync_file_system(folder: Path) -> None:
    """Flush the file system that holds a folder (syncfs(2))."""
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        if ctypes.CDLL(None, use_errno=True).syncfs(descriptor) != 0:
            os.fsync(descriptor)
    finally:
        os.close(descriptor)


def open_to_read(name: bytes, parent: int) -> int:
    """Open a file without following a link and, where allowed, without touching its atime."""
    flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK
    try:
        return os.open(name, flags | os.O_NOATIME, dir_fd=parent)
    except PermissionError:
        return os.open(name, flags, dir_fd=parent)


def copy_content(source: int, target: int, *, sparse: bool) -> str:
    """Copy an open file's content into an empty one and give its BLAKE3.

    Blocks are shared where the file system can (FICLONE); holes stay holes.
    """
    with contextlib.suppress(OSError):
        fcntl.ioctl(target, _FICLONE, source)
        return _hash_descriptor(source)
    digest = blake3()
    length = 0
    while piece := os.read(source, PIECE):
        digest.update(piece)
        length += len(piece)
        if sparse and piece == _ZEROS[: len(piece)]:
            os.lseek(target, len(piece), os.SEEK_CUR)
        else:
            _write_all(target, piece)
    if sparse:
        os.ftruncate(target, length)
    return digest.hexdigest()


def _hash_descriptor(source: int) -> str:
    digest = blake3()
    while piece := os.read(source, PIECE):
        digest.update(piece)
    return digest.hexdigest()


def _write_all(target: int, piece: bytes) -> None:
    view = memoryview(piece)
    while view:
        view = view[os.write(target, view) :]


def make_special(entry: Entry, name: bytes, parent: int) -> None:
    """Make the folder, link, pipe or device that an entry describes, without its attributes."""
    if entry.type == FOLDER:
        os.mkdir(name, 0o700, dir_fd=parent)
    elif entry.type == LINK:
        os.symlink(link_target(entry), name, dir_fd=parent)
    elif entry.type == FIFO:
        os.mkfifo(name, 0o600, dir_fd=parent)
    elif entry.type in (CHARACTER, BLOCK):
        major, minor = (int(number) for number in entry.what.split(":"))
        kind = 0o020000 if entry.type == CHARACTER else 0o060000
        os.mknod(name, kind | 0o600, os.makedev(major, minor), dir_fd=parent)


def link_target(entry: Entry) -> bytes:
    """Where a link leads."""
    return unquote_to_bytes(entry.what)


def set_attributes(entry: Entry, name: bytes, parent: int) -> None:
    """Give a path the owner, attributes, mode and time of an entry, in the order that keeps all.

    Changing the owner clears capabilities and set-id bits, so it comes first; the time last.
    """
    status = os.stat(name, dir_fd=parent, follow_symlinks=False)
    if (status.st_uid, status.st_gid) != (entry.uid, entry.gid):
        os.chown(name, entry.uid, entry.gid, dir_fd=parent, follow_symlinks=False)
    _set_xattrs(entry, name, parent)
    if entry.type != LINK:
        os.chmod(name, entry.mode, dir_fd=parent)
    os.utime(name, ns=(status.st_atime_ns, entry.mtime_ns), dir_fd=parent, follow_symlinks=False)


def _set_xattrs(entry: Entry, name: bytes, parent: int) -> None:
    place = proc_path(parent, name)
    try:
        present = set(os.listxattr(place, follow_symlinks=False))
    except OSError:
        present = set()
    for attribute in present - entry.xattrs.keys():
        with contextlib.suppress(OSError):
            os.removexattr(place, attribute, follow_symlinks=False)
    for attribute, value in entry.xattrs.items():
        os.setxattr(place, attribute, decoded_xattr(value), follow_symlinks=False)


_RENAME_EXCHANGE = 2


def exchange(name: bytes, parent: int, other: bytes, other_parent: int) -> None:
    """Swap two paths in one step (renameat2(2), RENAME_EXCHANGE)."""
    library = ctypes.CDLL(None, use_errno=True)
    if library.renameat2(parent, name, other_parent, other, _RENAME_EXCHANGE) != 0:
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code), os.fsdecode(other))


def remove_path(name: bytes, parent: int) -> None:
    """Remove a path and, where it is a folder, all below it; other file systems are left alone."""
    try:
        status = os.stat(name, dir_fd=parent, follow_symlinks=False)
    except FileNotFoundError:
        return
    if stat.S_ISDIR(status.st_mode):
        inner = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW, dir_fd=parent)
        try:
            if os.fstat(inner).st_dev != os.fstat(parent).st_dev:
                raise OSError(18, "another file system is mounted there", os.fsdecode(name))
            with os.scandir(inner) as listing:
                names = [os.fsencode(item.name) for item in listing]
            for below in names:
                remove_path(below, inner)
        finally:
            os.close(inner)
        os.rmdir(name, dir_fd=parent)
    else:
        os.unlink(name, dir_fd=parent)
