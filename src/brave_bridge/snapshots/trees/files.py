"""One path of a tree: copied, described, and given its attributes, relative to open folders."""

import contextlib
import ctypes
import errno
import fcntl
import os
import resource
import stat
import struct
from collections.abc import Iterator

from brave_bridge.snapshots.trees.hashing import BLOCK as BLOCK_SIZE
from brave_bridge.snapshots.trees.hashing import (
    SPARSE,
    add_zeros,
    hash_of_whole,
    new_digest,
    text_of,
)
from brave_bridge.snapshots.trees.manifest import (
    BLOCK,
    CHARACTER,
    FIFO,
    FILE,
    FOLDER,
    LINK,
    NO_COPY_ON_WRITE,
    PLACE,
    Entry,
    decoded_path,
    decoded_xattr,
    encoded_path,
    encoded_xattr,
    type_of,
)

PIECE = 1 << 20
MOST_ZEROS_HASHED = 1 << 30
"""Bytes of a hole from which on only the blocks that hold anything are hashed."""

_FICLONE = 0x40049409
_FS_IOC_GETFLAGS, _FS_IOC_SETFLAGS = 0x80086601, 0x40086602
_NO_FLAGS = bytes(8)
_flags_in = struct.Struct("i").unpack_from
_RENAME_EXCHANGE = 2
_NO_CLONE = (errno.EOPNOTSUPP, errno.EXDEV, errno.EINVAL, errno.ENOTTY, errno.ENOSYS)

IMMUTABLE, APPEND_ONLY = 0x10, 0x20
KEPT_FLAGS = IMMUTABLE | APPEND_ONLY | 0x40 | 0x80
"""Immutable, append only, no dump, no access times: the flags that people set and take away."""

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


def open_to_read(name: str, parent: int) -> int:
    """Open a file without following a link and, where allowed, without touching its atime."""
    flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK
    try:
        return os.open(name, flags | os.O_NOATIME, dir_fd=parent)
    except PermissionError:
        return os.open(name, flags, dir_fd=parent)


def open_ahead(name: str, parent: int, size: int) -> int:
    """Open a file to read it soon: the disk is asked for its beginning, and not waited for.

    Asked for many files at a time, a disk serves them in the order that suits it
    (posix_fadvise(2), POSIX_FADV_WILLNEED).
    """
    descriptor = open_to_read(name, parent)
    with contextlib.suppress(OSError):
        os.posix_fadvise(descriptor, 0, min(size, PIECE), os.POSIX_FADV_WILLNEED)
    return descriptor


def blocks_read() -> int:
    """How many blocks this process has had a disk read so far (getrusage(2))."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_inblock


class Cloner:
    """Shares blocks between files (FICLONE), and remembers where that cannot be done."""

    def __init__(self) -> None:
        self._refused: set[int] = set()

    def clone(self, source: int, target: int, device: int) -> bool:
        """Make an empty file share all blocks of another on that device; whether it could."""
        if device in self._refused:
            return False
        try:
            fcntl.ioctl(target, _FICLONE, source)
            return True
        except OSError as error:
            if error.errno in _NO_CLONE:
                self._refused.add(device)
            return False


def copy_content(
    source: int, target: int, status: os.stat_result, cloner: Cloner, like: str = ""
) -> tuple[str, int]:
    """Copy an open file's content into an empty one; its hash and its length.

    Blocks are shared where the file system can; holes stay holes. ``like``: see new_digest.
    """
    if status.st_size and cloner.clone(source, target, status.st_dev):
        return hash_of(source, like)
    if status.st_size < PIECE and status.st_blocks * 512 >= status.st_size:
        content = os.read(source, status.st_size + 1)
        if len(content) <= status.st_size:
            if content:
                write_all(target, content)
            return hash_of_whole(content, like), len(content)
        os.lseek(source, 0, os.SEEK_SET)
    if status.st_blocks * 512 < status.st_size:
        return _hash_sparse(source, status, like, target), status.st_size
    return _copy_pieces(source, target, like)


def _copy_pieces(source: int, target: int, like: str) -> tuple[str, int]:
    digest, length = new_digest(like), 0
    for piece in pieces_of(source):
        digest.update(piece)
        length += len(piece)
        write_all(target, piece)
    return text_of(digest), length


def _read_sparse(source: int, size: int) -> Iterator[tuple[int, bytes]]:
    """What is data in a sparse file, with where it stands (lseek(2), SEEK_DATA).

    Whole blocks, so that a hash does not depend on where the file system ends a hole.
    """
    at = 0
    while at < size:
        start, end = _next_data(source, at, size)
        start = max(at, start - start % BLOCK_SIZE)
        end = min(size, end + -end % BLOCK_SIZE)
        os.lseek(source, start, os.SEEK_SET)
        while start < end:
            piece = os.read(source, min(PIECE, end - start))
            if not piece:
                return
            yield start, piece
            start += len(piece)
        at = end


def _next_data(source: int, at: int, size: int) -> tuple[int, int]:
    """Where the next data begins and ends; the end of the file where there is none any more."""
    try:
        start = os.lseek(source, at, os.SEEK_DATA)
        return min(start, size), min(os.lseek(source, start, os.SEEK_HOLE), size)
    except OSError as error:
        return (size, size) if error.errno == errno.ENXIO else (at, size)


def _hash_sparse(source: int, status: os.stat_result, like: str, target: int = -1) -> str:
    """The hash of a sparse file, and its data copied to the same places of an empty file."""
    hole = status.st_size - status.st_blocks * 512
    digest, at = new_digest(like or (SPARSE if hole > MOST_ZEROS_HASHED else "")), 0
    for start, piece in _read_sparse(source, status.st_size):
        add_zeros(digest, start - at)
        digest.update(piece)
        if target >= 0:
            os.lseek(target, start, os.SEEK_SET)
            write_all(target, piece)
        at = start + len(piece)
    add_zeros(digest, status.st_size - at)
    if target >= 0:
        os.ftruncate(target, status.st_size)
    return text_of(digest)


def pieces_of(source: int) -> Iterator[bytes]:
    """What an open file still holds, piece by piece."""
    return iter(lambda: os.read(source, PIECE), b"")


def hash_of(source: int, like: str = "", size: int = PIECE) -> tuple[str, int]:
    """The hash and the length of an open file's content, from where it stands.

    ``like``: see new_digest. What is in a hole is not read. ``size`` is how long it is thought
    to be: room for more than a file has takes longer than reading it.
    """
    if like.startswith(SPARSE):
        status = os.fstat(source)
        return _hash_sparse(source, status, like), status.st_size
    most = min(size + 1, PIECE)
    content = os.read(source, most)
    length = len(content)
    if length < most:
        return hash_of_whole(content, like), length
    status = os.fstat(source)
    if status.st_blocks * 512 < status.st_size:
        return _hash_sparse(source, status, like), status.st_size
    digest = new_digest(like)
    digest.update(content)
    for piece in pieces_of(source):
        digest.update(piece)
        length += len(piece)
    return text_of(digest), length


def write_all(target: int, piece: bytes) -> None:
    """Write all of a piece, however little a write takes."""
    written = os.write(target, piece)
    while written < len(piece):
        written += os.write(target, memoryview(piece)[written:])


# Describing


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
            found[name] = encoded_xattr(os.getxattr(place, name, **follow))
    return found


def read_flags(descriptor: int) -> int:
    """The inode flags of an open file that a snapshot keeps; 0 where there are none."""
    try:
        raw = fcntl.ioctl(descriptor, _FS_IOC_GETFLAGS, _NO_FLAGS)
    except OSError:
        return 0
    return _flags_in(raw)[0] & (KEPT_FLAGS | NO_COPY_ON_WRITE)


def proc_path(parent: int, name: str) -> str:
    """A path to a name in an open folder, for calls that take no folder descriptor."""
    return f"/proc/self/fd/{parent}/{name}"


def entry_of(
    path: str, status: os.stat_result, what: str, xattrs: dict[str, str], flags: int
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
    )


def describe_open(path: str, descriptor: int, status: os.stat_result, what: str) -> Entry:
    """The entry of an open file or folder."""
    xattrs = read_xattrs(descriptor)
    return entry_of(path, status, what, xattrs, read_flags(descriptor))


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


# Making


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
        os.setxattr(descriptor, attribute, decoded_xattr(value))
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
    if with_flags and read_flags(descriptor) != entry.flags:
        set_flags(descriptor, entry.flags)


def _set_xattrs(entry: Entry, place: int | str, **follow: bool) -> bool:
    """Give a place the extended attributes of an entry; whether it had others."""
    present = read_xattrs(place)
    if present == entry.xattrs:
        return False
    for attribute in present.keys() - entry.xattrs.keys():
        with contextlib.suppress(OSError):
            os.removexattr(place, attribute, **follow)
    for attribute, value in entry.xattrs.items():
        if present.get(attribute) != value:
            os.setxattr(place, attribute, decoded_xattr(value), **follow)
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
        raw = fcntl.ioctl(descriptor, _FS_IOC_GETFLAGS, bytes(8))
        present = struct.unpack_from("i", raw)[0]
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


def exchange(name: str, parent: int, other: str, other_parent: int) -> None:
    """Swap two paths in one step (renameat2(2), RENAME_EXCHANGE)."""
    done = _libc.renameat2(
        parent, os.fsencode(name), other_parent, os.fsencode(other), _RENAME_EXCHANGE
    )
    if done != 0:
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code), other)
