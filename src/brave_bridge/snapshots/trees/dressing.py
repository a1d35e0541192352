"""Making what an entry of a manifest describes, and giving it its attributes."""

import contextlib
import errno
import fcntl
import os
import stat
import struct

from brave_bridge.snapshots.trees.describing import (
    APPEND_ONLY,
    IMMUTABLE,
    KEPT_FLAGS,
    inode_flags,
    proc_path,
    read_flags,
    read_xattrs,
)
from brave_bridge.snapshots.trees.manifest import (
    BLOCK,
    CHARACTER,
    FIFO,
    FILE,
    FOLDER,
    LINK,
    PLACE,
    Entry,
    decoded_name,
    decoded_path,
    decoded_xattr,
)
from brave_bridge.snapshots.trees.projects import project_of, set_project

_FS_IOC_SETFLAGS = 0x40086602


def make_special(entry: Entry, name: str, parent: int) -> None:
    """Make the folder, link, pipe or device that an entry describes, without its attributes."""
    if entry.type in (FOLDER, PLACE):
        os.mkdir(name, 0o700, dir_fd=parent)
    elif entry.type == LINK:
        os.symlink(decoded_path(entry.what), name, dir_fd=parent)
    elif entry.type == FIFO:
        os.mkfifo(name, 0o600, dir_fd=parent)
    elif entry.type in (CHARACTER, BLOCK):
        major, minor = (int(number) for number in entry.what.split(":"))
        kind = stat.S_IFCHR if entry.type == CHARACTER else stat.S_IFBLK
        os.mknod(name, kind | 0o600, os.makedev(major, minor), dir_fd=parent)


def dress_new(entry: Entry, descriptor: int, status: os.stat_result) -> None:
    """Give a file or folder that was just made here, and is open, the attributes of an entry.

    ``status`` is its own of now. Flags are not set: what is immutable could not be moved or
    deleted any more.
    Changing the owner clears capabilities and set-id bits, so it comes first; the time last.
    """
    if (status.st_uid, status.st_gid) != (entry.uid, entry.gid):
        os.fchown(descriptor, entry.uid, entry.gid)
    for attribute, value in entry.xattrs.items():
        os.setxattr(descriptor, decoded_name(attribute), decoded_xattr(value))
    if entry.mode != status.st_mode & 0o7777:
        os.fchmod(descriptor, entry.mode)
    os.utime(descriptor, ns=(entry.mtime_ns, entry.mtime_ns))


def set_attributes(entry: Entry, name: str, parent: int, *, with_flags: bool = True) -> None:
    """Give a path the owner, attributes, mode, time and flags of an entry, whatever it has now."""
    if entry.type in (FILE, FOLDER):
        with _opened(name, parent) as descriptor:
            set_attributes_of(entry, descriptor, with_flags=with_flags)
        return
    status = os.stat(name, dir_fd=parent, follow_symlinks=False)
    if (status.st_uid, status.st_gid) != (entry.uid, entry.gid):
        os.chown(name, entry.uid, entry.gid, dir_fd=parent, follow_symlinks=False)
    if entry.type != PLACE:
        _set_xattrs(entry, proc_path(parent, name), follow_symlinks=False)
    if entry.type != LINK:
        os.chmod(name, entry.mode, dir_fd=parent)
    if entry.type != PLACE:
        times = (status.st_atime_ns, entry.mtime_ns)
        os.utime(name, ns=times, dir_fd=parent, follow_symlinks=False)


def set_attributes_of(entry: Entry, descriptor: int, *, with_flags: bool = True) -> None:
    """The same for a file or folder that is open; what it has already is not set again."""
    status = os.fstat(descriptor)
    changed = (status.st_uid, status.st_gid) != (entry.uid, entry.gid)
    if changed:
        os.fchown(descriptor, entry.uid, entry.gid)
    changed |= _set_xattrs(entry, descriptor)
    # An owner and an access control list that are set change the mode too.
    if changed or status.st_mode & 0o7777 != entry.mode:
        os.fchmod(descriptor, entry.mode)
    os.utime(descriptor, ns=(status.st_atime_ns, entry.mtime_ns))
    if with_flags and entry.project and project_of(descriptor) != entry.project:
        set_project(descriptor, entry.project, inherits=True)
    if with_flags and read_flags(descriptor) != entry.flags:
        set_flags(descriptor, entry.flags)


def _set_xattrs(entry: Entry, place: int | str, **follow: bool) -> bool:
    """Give a place the extended attributes of an entry; whether it had others."""
    present = read_xattrs(place)
    if present == entry.xattrs:
        return False
    for attribute in present.keys() - entry.xattrs.keys():
        with contextlib.suppress(OSError):
            os.removexattr(place, decoded_name(attribute), **follow)
    for attribute, value in entry.xattrs.items():
        if present.get(attribute) != value:
            os.setxattr(place, decoded_name(attribute), decoded_xattr(value), **follow)
    return True


@contextlib.contextmanager
def _opened(name: str, parent: int):
    descriptor = os.open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK, dir_fd=parent)
    try:
        yield descriptor
    finally:
        os.close(descriptor)


def set_flags(descriptor: int, flags: int) -> None:
    """Set the inode flags that a snapshot keeps; others stay as they are."""
    try:
        present = inode_flags(descriptor)
        wanted = (present & ~KEPT_FLAGS) | flags
        if wanted != present:
            fcntl.ioctl(descriptor, _FS_IOC_SETFLAGS, struct.pack("q", wanted))
    except OSError as error:
        if error.errno not in (errno.ENOTTY, errno.EOPNOTSUPP):
            raise


def unlock(name: str, parent: int) -> bool:
    """Take the immutable and append-only flags from a path; whether it had any."""
    try:
        with _opened(name, parent) as descriptor:
            if not read_flags(descriptor) & (IMMUTABLE | APPEND_ONLY):
                return False
            set_flags(descriptor, 0)
            return True
    except OSError:
        return False
