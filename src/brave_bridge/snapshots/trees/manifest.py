"""Manifests: what every path of a tree is, so that two trees can be held against each other.

A manifest file has one JSON array a line: type, path, mode, uid, gid, mtime_ns, size, hash
or link target or device, extended attributes, hard-link group, inode and ctime_ns of the
live file, and inode flags (ioctl_iflags(2)). Paths are percent-encoded (RFC 3986) where
they are not plain ASCII. It goes folder by folder: a folder's line is followed by those of
the other things in it, so that one folder can be read without reading the whole.
"""

import mmap
import os
import re
import stat
from base64 import b64decode, b64encode
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO
from urllib.parse import quote_from_bytes, unquote_to_bytes

import msgspec

from brave_bridge.core.formats.decoding import NO_TEXT_OF_THAT
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.snapshots.trees.hashing import new_digest, text_of

_is_plain = re.compile(r"[/ !$&'()*+,\-.:;=@_~\[\]{}<>|^`#?0-9A-Za-z]*").fullmatch
_SAFE = "/ !$&'()*+,-.:;=@_~[]{}<>|^`#?"
_FOLDER_LINE = b'["d","'
_LONGEST_PATH = 1 << 15
_MANY = 50
LARGEST = 2_000_000_000
"""Bytes of a manifest; that of a million files has a tenth of it."""

FILE, FOLDER, LINK, FIFO, CHARACTER, BLOCK = "fdlpcb"
PLACE = "m"
"""A folder that belongs to the tree while what is in it does not: a mount, or left out."""

NO_COPY_ON_WRITE = 0x00800000
"""The inode flag of btrfs files that are written in place (ioctl_iflags(2))."""

COMPRESSED, SYNCHRONOUS, PROJECT_INHERITED = 0x04, 0x08, 0x20000000
KNOWN_LATER = NO_COPY_ON_WRITE | COMPRESSED | SYNCHRONOUS | PROJECT_INHERITED
"""Flags that older manifests do not know: of these only a lack counts."""

KINDS = {
    stat.S_IFREG: FILE,
    stat.S_IFDIR: FOLDER,
    stat.S_IFLNK: LINK,
    stat.S_IFIFO: FIFO,
    stat.S_IFCHR: CHARACTER,
    stat.S_IFBLK: BLOCK,
}


class DamagedManifest(ValueError):
    """A manifest that says what no tree can be, or that is cut."""


class Entry(msgspec.Struct, frozen=True, array_like=True):
    """One path. ``what`` is a file's hash (see hashing), a link's target or a device's numbers.

    A file's ``what`` is empty where its content was never read (snapshots that the file
    system itself makes and keeps).
    """

    type: str
    path: str
    mode: int
    uid: int
    gid: int
    mtime_ns: int
    size: int
    what: str
    xattrs: dict[str, str]
    links: int
    """The inode that the names of a hard-linked file share, 0 where it has one name."""
    inode: int = 0
    ctime_ns: int = 0
    flags: int = 0
    project: int = 0
    """The project that what comes into a folder belongs to, where it says so by a flag."""

    def same_attributes(self, other: "Entry") -> bool:
        """Whether owner, mode, time, attributes and flags are the same.

        Of flags that older manifests do not know only a lack counts, and so of a project.
        """
        return bool(
            self.mode == other.mode
            and self.uid == other.uid
            and self.gid == other.gid
            and self.mtime_ns == other.mtime_ns
            and self.xattrs == other.xattrs
            and self.flags & ~KNOWN_LATER == other.flags & ~KNOWN_LATER
            and not self.flags & ~other.flags & KNOWN_LATER
            and self.project in (0, other.project)
        )


_decoder = msgspec.json.Decoder(Entry)
_UNREADABLE = (msgspec.DecodeError, *NO_TEXT_OF_THAT)
encode_entry = msgspec.json.Encoder().encode


def encoded_path(path: str) -> str:
    """A path (as os.fsdecode gives it) as a manifest writes it."""
    if _is_plain(path):
        return path
    return quote_from_bytes(os.fsencode(path), safe=_SAFE)


def decoded_path(text: str) -> str:
    """The path that a manifest's text stands for, relative to the root."""
    return os.fsdecode(unquote_to_bytes(text)) if "%" in text else text


def joined(folder: str, name: str) -> str:
    """A path in a folder; the root folder is the empty path."""
    return f"{folder}/{name}" if folder else name


def type_of(mode: int) -> str:
    """The type letter of a file mode; empty for a socket, which no snapshot keeps."""
    return KINDS.get(mode & 0o170000, "")


def encoded_name(name: str) -> str:
    """An attribute's name as a manifest writes it: one that is no UTF-8 as ``=`` and base64.

    No name begins so: each has its namespace first (xattr(7)).
    """
    try:
        name.encode()
    except UnicodeEncodeError:
        return "=" + b64encode(os.fsencode(name)).decode()
    return name


def decoded_name(text: str) -> str:
    """The name of an attribute from its text in a manifest. ValueError where it is none."""
    return os.fsdecode(b64decode(text[1:], validate=True)) if text.startswith("=") else text


def encoded_xattr(value: bytes) -> str:
    """An attribute's bytes as a manifest writes them."""
    return b64encode(value).decode()


def decoded_xattr(value: str) -> bytes:
    """An attribute's bytes from its text in a manifest."""
    return b64decode(value)


def is_untouched(before: Entry, status: os.stat_result) -> bool:
    """Whether what is live is the very thing that an entry describes, not written to since.

    A change of content, owner, mode or attributes moves the ctime, which no program can set.
    """
    return (
        before.inode == status.st_ino
        and before.ctime_ns == status.st_ctime_ns
        and before.mtime_ns == status.st_mtime_ns
        and (before.size == status.st_size or before.type != FILE)
        and before.type == KINDS.get(status.st_mode & 0o170000)
    )


def decoded_entry(line: bytes) -> Entry:
    """An entry from its line; DamagedManifest where it is none that could be."""
    try:
        entry = _decoder.decode(line)
    except _UNREADABLE as error:
        raise DamagedManifest(f"a damaged line: {error}") from error
    if entry.type not in _TYPES:
        raise DamagedManifest(f"{entry.path[:80]!r} is of no type: {entry.type[:8]!r}")
    return entry


_TYPES = frozenset((FILE, FOLDER, LINK, FIFO, CHARACTER, BLOCK, PLACE))


def _can_be(name: str) -> bool:
    """Whether a text is one name in a folder: no ``..``, ``.``, slash or NUL, however written."""
    if "%" in name:
        name = os.fsdecode(unquote_to_bytes(name))
    return name not in _NO_NAMES and "/" not in name and "\0" not in name


_NO_NAMES = frozenset(("", ".", ".."))


def checksum_of(manifest: Path, like: str = "") -> str:
    """The hash of a manifest file itself; ``like``: see new_digest."""
    digest = new_digest(like)
    with ours_at(manifest).opened(buffering=0) as stream:
        _must_be_readable(stream)
        for piece in iter(lambda: stream.read(1 << 20), b""):
            digest.update(piece)
    return text_of(digest)


def _must_be_readable(stream: BinaryIO) -> os.stat_result:
    status = os.fstat(stream.fileno())
    if not status.st_size:
        raise DamagedManifest("it is empty")
    if status.st_size > LARGEST:
        raise DamagedManifest(f"it is longer than {LARGEST} bytes")
    return status


class _Index:
    """Where each folder's lines stand in a manifest, and which folders are in which."""

    def __init__(self, content: mmap.mmap) -> None:
        self.places: dict[str, tuple[int, int]] = {}
        self.inner: dict[str, list[str]] = {}
        starts = []
        start = 0 if content[: len(_FOLDER_LINE)] == _FOLDER_LINE else -1
        while start >= 0:
            starts.append(start)
            found = content.find(b"\n" + _FOLDER_LINE, start)
            start = found + 1 if found >= 0 else -1
        if not starts or content[-1:] != b"\n":
            raise DamagedManifest("it does not begin with the root, or is cut")
        for start, end in zip(starts, [*starts[1:], len(content)], strict=True):
            begins = start + len(_FOLDER_LINE)
            folder = content[begins : content.find(b'"', begins)].decode("ascii", "replace")
            self._add_folder(folder, start, end)

    def _add_folder(self, folder: str, start: int, end: int) -> None:
        above, _, name = folder.rpartition("/")
        if bool(folder) != bool(self.places) or folder in self.places:
            raise DamagedManifest(f"the folder {folder[:80]!r} is out of place")
        if folder:
            if above not in self.places or not _can_be(name) or len(folder) > _LONGEST_PATH:
                raise DamagedManifest(f"{folder[:80]!r} is no folder of a tree")
            self.inner.setdefault(above, []).append(folder)
        self.places[folder] = (start, end)


_KEPT_INDICES = 2
_indices: dict[tuple[int, ...], _Index] = {}


def _index_of(content: mmap.mmap, status: os.stat_result) -> _Index:
    """The index of a manifest. The last ones stay known, also to the copies of this process."""
    key = (status.st_dev, status.st_ino, status.st_size, status.st_mtime_ns, status.st_ctime_ns)
    if key not in _indices:
        index = _Index(content)
        while len(_indices) >= _KEPT_INDICES:
            _indices.pop(next(iter(_indices)), None)
        _indices[key] = index
    return _indices[key]


class Manifest:
    """A manifest file, read folder by folder. Folders and paths are as the manifest writes them."""

    def __init__(self, path: Path) -> None:
        with ours_at(path).opened() as stream:
            status = _must_be_readable(stream)
            self._content = mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ)
        index = _index_of(self._content, status)
        self._places, self._inner = index.places, index.inner

    @property
    def folders(self) -> list[str]:
        """All folders, each after the one it is in."""
        return list(self._places)

    def has_folder(self, folder: str) -> bool:
        """Whether there is such a folder."""
        return folder in self._places

    def folders_in(self, folder: str) -> list[str]:
        """The folders directly in a folder."""
        return self._inner.get(folder, [])

    def lines_in(self, folder: str) -> list[bytes]:
        """A folder's own line and those of all that is in it but folders."""
        if folder not in self._places:
            return []
        start, end = self._places[folder]
        return self._content[start:end].splitlines()

    def folder(self, folder: str) -> Entry:
        """A folder's own entry."""
        start, end = self._places[folder]
        stop = self._content.find(b"\n", start, end)
        return decoded_entry(self._content[start:stop])

    def others_in(self, folder: str) -> dict[str, Entry]:
        """All that is in a folder but folders, by name."""
        start = folder + "/" if folder else ""
        begins, ends = self._places.get(folder, (0, 0))
        try:
            entries = _decoder.decode_lines(self._content[begins:ends])[1:]
        except _UNREADABLE as error:
            raise DamagedManifest(f"a damaged line: {error}") from error
        found = {}
        for entry in entries:
            path = entry.path
            name = path[len(start) :]
            if entry.type not in _TYPES or not path.startswith(start) or not _can_be(name):
                raise DamagedManifest(f"{path[:80]!r} is no path in {folder[:80]!r}")
            found[name] = entry
        if len(found) != len(entries):
            raise DamagedManifest(f"something in {folder[:80]!r} is there twice")
        return found

    def lines_of_others(self, folder: str) -> dict[str, tuple[Entry, bytes]]:
        """The same with each entry's line."""
        found, lines = self.others_in(folder), self.lines_in(folder)[1:]
        return {
            name: (entry, line) for (name, entry), line in zip(found.items(), lines, strict=True)
        }

    def entries(self) -> Iterator[Entry]:
        """Every entry, folder by folder."""
        for folder in self._places:
            yield self.folder(folder)
            yield from self.others_in(folder).values()

    def entry(self, path: str) -> Entry | None:
        """The entry of a path."""
        if path in self._places:
            return self.folder(path)
        start, end = self._places.get(path.rpartition("/")[0], (0, 0))
        content, second = self._content, b'","' + path.encode() + b'",'
        at = content.find(second, start, end)
        while at >= 0:
            begins = content.rfind(b"\n", start, at) + 1
            # After the one letter of its type, a path is the second value of a line.
            if at - begins == len('["f'):
                return decoded_entry(content[begins : content.find(b"\n", at, end)])
            at = content.find(second, at + 1, end)
        return None

    def entries_of(self, paths: set[str]) -> dict[str, Entry]:
        """The entries of paths that are in it; DamagedManifest where one is not.

        Of a folder with many of them all lines are read once.
        """
        in_folder = Counter(path.rpartition("/")[0] for path in paths)
        found: dict[str, Entry] = {}
        for folder in (folder for folder, count in in_folder.items() if count > _MANY):
            found.update((entry.path, entry) for entry in self.others_in(folder).values())
        return {path: found.get(path) or self._known(path) for path in paths}

    def _known(self, path: str) -> Entry:
        entry = self.entry(path)
        if entry is None or entry.path != path:
            raise DamagedManifest(f"{path[:80]!r} is not where it was a moment ago")
        return entry

    def close(self) -> None:
        """Let go of the file."""
        self._content.close()


class ManifestWriter:
    """Puts a manifest together from pieces, each the lines of one folder, in any order.

    It is not flushed: a snapshot's file system is, before anything says that it is whole.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.pieces: dict[str, tuple[Path, int, int]] = {}

    def add(self, folder: str, spool: Path, offset: int, length: int) -> None:
        """Take over a folder's lines from a place in a spool file."""
        self.pieces[folder] = (spool, offset, length)

    def finish(self) -> str:
        """Write it; its hash."""
        digest = new_digest()
        paths = {spool for spool, *_ in self.pieces.values()}
        spools = {path: ours_at(path).opened(buffering=0) for path in paths}
        try:
            with ours_at(self.path).written_anew() as stream:
                for folder in sorted(self.pieces):
                    spool, offset, length = self.pieces[folder]
                    spools[spool].seek(offset)
                    piece = spools[spool].read(length)
                    digest.update(piece)
                    stream.write(piece)
        finally:
            for spool in spools.values():
                spool.close()
        return text_of(digest)
