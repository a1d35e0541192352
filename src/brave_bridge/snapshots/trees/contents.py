"""Contents of files: opened, copied and hashed; blocks are shared, and holes stay holes."""

import contextlib
import errno
import fcntl
import os
import resource
from collections.abc import Iterator

from brave_bridge.snapshots.trees.hashing import (
    BLOCK,
    SPARSE,
    add_zeros,
    hash_of_whole,
    new_digest,
    text_of,
)

PIECE = 1 << 20
MOST_ZEROS_HASHED = 1 << 30
"""Bytes of a hole from which on only the blocks that hold anything are hashed."""

_FICLONE = 0x40049409
_NO_CLONE = (errno.EOPNOTSUPP, errno.EXDEV, errno.EINVAL, errno.ENOTTY, errno.ENOSYS)


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
        start = max(at, start - start % BLOCK)
        end = min(size, end + -end % BLOCK)
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
