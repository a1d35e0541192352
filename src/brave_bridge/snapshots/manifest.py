"""Manifests: what every path of a tree is, so that two trees can be held against each other.

A manifest file has one JSON array a line: path, type, mode, uid, gid, mtime_ns, size,
hash or link target or device, extended attributes, hard-link group, and, for trees that
were copied, inode and ctime_ns of the live file. Paths are percent-encoded (RFC 3986)
where they are not plain ASCII. Sorted by path.
"""

import os
import stat
from base64 import b64decode, b64encode
from collections.abc import Iterable, Iterator
from pathlib import Path
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec
from blake3 import blake3

from brave_bridge.snapshots.cover import Cover

PIECE = 1 << 20
_SAFE = "/ !$&'()*+,-.:;=@_~[]{}<>|^`#?\""

FILE, FOLDER, LINK, FIFO, CHARACTER, BLOCK = "fdlpcb"


class Entry(msgspec.Struct, frozen=True, array_like=True):
    """One path. ``what`` is a file's BLAKE3, a link's target or a device's numbers."""

    path: str
    type: str
    mode: int
    uid: int
    gid: int
    mtime_ns: int
    size: int
    what: str
    xattrs: dict[str, str]
    links: int
    """Number of the hard-link group within the tree, 0 where the file stands alone."""
    inode: int = 0
    ctime_ns: int = 0

    @property
    def raw_path(self) -> bytes:
        """The path as the file system has it, relative to the root."""
        return unquote_to_bytes(self.path)

    def same_as(self, other: "Entry") -> bool:
        """Whether both describe the same thing, hard-link numbering and inodes aside."""
        return _comparable(self) == _comparable(other)


def _comparable(entry: Entry) -> tuple:
    return (
        entry.path, entry.type, entry.mode, entry.uid, entry.gid, entry.mtime_ns,
        entry.size, entry.what, entry.xattrs,
    )  # fmt: skip


def encoded_path(path: bytes) -> str:
    """A path as a manifest writes it."""
    return quote_from_bytes(path, safe=_SAFE)


def type_of(mode: int) -> str:
    """The type letter of a file mode; empty for a socket, which no snapshot keeps."""
    return {
        stat.S_IFREG: FILE, stat.S_IFDIR: FOLDER, stat.S_IFLNK: LINK,
        stat.S_IFIFO: FIFO, stat.S_IFCHR: CHARACTER, stat.S_IFBLK: BLOCK,
    }.get(stat.S_IFMT(mode), "")  # fmt: skip


def read_xattrs(place: int | str) -> dict[str, str]:
    """Extended attributes of an open file, or of a path without following it; base64 values."""
    follow = {} if isinstance(place, int) else {"follow_symlinks": False}
    try:
        names = os.listxattr(place, **follow)
    except OSError:
        return {}
    found = {}
    for name in sorted(names):
        try:
            found[name] = b64encode(os.getxattr(place, name, **follow)).decode()
        except OSError:
            continue
    return found


def decoded_xattr(value: str) -> bytes:
    """An attribute's bytes from its text in a manifest."""
    return b64decode(value)


class Seen(msgspec.Struct, frozen=True):
    """A path met on a walk: the open parent folder, its name there, and its status."""

    parent: int
    name: bytes
    path: bytes
    status: os.stat_result


def walk(root: Path, cover: Cover) -> Iterator[Seen]:
    """All covered paths below ``root``, a folder before what is in it, names sorted.

    Works relative to open folders, so that a folder renamed meanwhile leads nowhere else.
    The root itself is met as the empty path. What the cover leaves out, and whatever is
    mounted from another file system, is not met at all.
    """
    descriptor = os.open(root, os.O_RDONLY | os.O_DIRECTORY)
    try:
        status = os.fstat(descriptor)
        yield Seen(descriptor, b".", b"", status)
        yield from _walk_folder(descriptor, b"", status.st_dev, cover)
    finally:
        os.close(descriptor)


def _walk_folder(descriptor: int, path: bytes, device: int, cover: Cover) -> Iterator[Seen]:
    with os.scandir(descriptor) as listing:
        names = sorted(os.fsencode(entry.name) for entry in listing)
    for name in names:
        below = path + b"/" + name if path else name
        try:
            status = os.stat(name, dir_fd=descriptor, follow_symlinks=False)
        except FileNotFoundError:
            continue
        if cover.leaves_out(below) or status.st_dev != device:
            continue
        yield Seen(descriptor, name, below, status)
        if not stat.S_ISDIR(status.st_mode):
            continue
        flags = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW
        try:
            inner = os.open(name, flags, dir_fd=descriptor)
        except (FileNotFoundError, NotADirectoryError):
            continue
        try:
            yield from _walk_folder(inner, below, device, cover)
        finally:
            os.close(inner)


class LinkGroups:
    """Numbers the hard-link groups of a walk, in the order in which they are met."""

    def __init__(self) -> None:
        self._numbers: dict[tuple[int, int], int] = {}

    def number(self, status: os.stat_result) -> int:
        """The group of a file, 0 where it has one name only."""
        if status.st_nlink < 2 or stat.S_ISDIR(status.st_mode):
            return 0
        key = (status.st_dev, status.st_ino)
        return self._numbers.setdefault(key, len(self._numbers) + 1)


def proc_path(parent: int, name: bytes) -> str:
    """A path to a name in an open folder, for calls that take no folder descriptor."""
    return f"/proc/self/fd/{parent}/{os.fsdecode(name)}"


def describe(seen: Seen, links: int, content_hash: str | None = None) -> Entry:
    """The manifest entry of a path; a file's content is read unless its hash is given."""
    status, kind = seen.status, type_of(seen.status.st_mode)
    if kind == FILE:
        what = hash_at(seen) if content_hash is None else content_hash
    elif kind == LINK:
        target = os.readlink(seen.name, dir_fd=seen.parent)
        what = encoded_path(target)
    elif kind in (CHARACTER, BLOCK):
        what = f"{os.major(status.st_rdev)}:{os.minor(status.st_rdev)}"
    else:
        what = ""
    return Entry(
        path=encoded_path(seen.path),
        type=kind,
        mode=stat.S_IMODE(status.st_mode),
        uid=status.st_uid,
        gid=status.st_gid,
        mtime_ns=status.st_mtime_ns,
        size=status.st_size if kind == FILE else 0,
        what=what,
        xattrs=read_xattrs(proc_path(seen.parent, seen.name)),
        links=links,
        inode=status.st_ino,
        ctime_ns=status.st_ctime_ns,
    )


def hash_at(seen: Seen) -> str:
    """The BLAKE3 of a file's content, in hexadecimal."""
    descriptor = os.open(seen.name, os.O_RDONLY | os.O_NOFOLLOW, dir_fd=seen.parent)
    with os.fdopen(descriptor, "rb", buffering=0) as stream:
        return hash_stream(stream)


def hash_stream(stream) -> str:
    """The BLAKE3 of what a stream still holds."""
    digest = blake3()
    while piece := stream.read(PIECE):
        digest.update(piece)
    return digest.hexdigest()


def scan(root: Path, cover: Cover, known: "dict[str, Entry] | None" = None) -> Iterator[Entry]:
    """The entries of a tree. Sockets are left out.

    Where ``known`` has an entry with the same size, times and inode, its hash is taken
    over instead of reading the file again.
    """
    groups = LinkGroups()
    for seen in walk(root, cover):
        if type_of(seen.status.st_mode):
            before = (known or {}).get(encoded_path(seen.path))
            unread = before.what if before and is_untouched(before, seen.status) else None
            try:
                yield describe(seen, groups.number(seen.status), unread)
            except FileNotFoundError:
                continue


def is_untouched(before: Entry, status: os.stat_result) -> bool:
    """Whether a live file is the very one that an entry describes, not written to since."""
    return (
        before.type == FILE
        and stat.S_ISREG(status.st_mode)
        and before.inode == status.st_ino
        and before.ctime_ns == status.st_ctime_ns
        and before.mtime_ns == status.st_mtime_ns
        and before.size == status.st_size
    )


def write_manifest(path: Path, entries: Iterable[Entry]) -> None:
    """Write a manifest under a temporary name, sync it, and rename it last."""
    temporary = path.with_suffix(".new")
    encoder = msgspec.json.Encoder()
    with open(temporary, "wb") as stream:
        for entry in entries:
            stream.write(encoder.encode(entry) + b"\n")
        stream.flush()
        os.fsync(stream.fileno())
    os.replace(temporary, path)


def read_manifest(path: Path) -> dict[str, Entry]:
    """The entries of a manifest by path; ValueError where a line is damaged."""
    decoder = msgspec.json.Decoder(Entry)
    with open(path, "rb") as stream:
        entries = [decoder.decode(line) for line in stream]
    return {entry.path: entry for entry in entries}
