"""Granting wishes from files under a root folder: bounded in time, memory and reach.

Links are followed inside the root only. Nothing but regular files is opened, so neither a
pipe nor a device can hold up the survey.
"""

import fnmatch
import hashlib
import os
import stat
import zlib
from collections.abc import Iterable, Iterator
from functools import singledispatchmethod

from brave_bridge.core.formats.packing import PACKED, PackingError, unpack
from brave_bridge.machines.rooted import MAX_LINKS
from brave_bridge.machines.wishes import (
    Below,
    Contents,
    Found,
    Links,
    Names,
    Room,
    Rooms,
    Seen,
    Stanza,
    Stanzas,
    Sums,
)

MAX_PATHS = 20_000
"""Paths that one pattern may lead to; what is beyond is left out."""

MAX_LOG_BYTES = 64_000_000
"""Bytes of one log that are searched for lines."""

_WILD = frozenset("*?[")
_INDEX_LIMIT = 400_000_000


class Gathering:
    """One pass over a root. Folders that were looked up once are remembered for the pass."""

    def __init__(self, root: str) -> None:
        self.root = root.rstrip("/") or ""
        self._folders: dict[str, str | None] = {"": self.root}
        self.seen = Seen()

    @singledispatchmethod
    def grant(self, wish) -> None:
        """Add what a wish asks for to ``seen``."""
        raise TypeError(f"nothing grants {type(wish).__name__}")

    @grant.register
    def _(self, wish: Contents) -> None:
        for path in self._expanded(wish.patterns):
            try:
                content = self._lines(path, wish) if wish.containing else self._content(path, wish)
            except OSError as error:
                self.seen.faults[path] = error.strerror or str(error)
            else:
                if content is not None:
                    self.seen.contents[path] = content

    def _content(self, path: str, wish: Contents) -> bytes | None:
        descriptor = self._open(path)
        if descriptor is None:
            return None
        with os.fdopen(descriptor, "rb", buffering=0) as stream:
            content = _read_up_to(stream, wish.limit + 1)
        if len(content) > wish.limit:
            if not wish.cut:
                self.seen.faults[path] = f"longer than {wish.limit} bytes"
                return None
            content = content[: wish.limit]
        return content

    def _lines(self, path: str, wish: Contents) -> bytes | None:
        descriptor = self._open(path)
        if descriptor is None:
            return None
        kept, size = [], 0
        with os.fdopen(descriptor, "rb") as stream:
            pieces = _decompressed(stream) if path.endswith(".gz") else _pieces(stream)
            for line in _split(pieces):
                if any(text in line for text in wish.containing):
                    kept.append(line)
                    size += len(line) + 1
                    if size > wish.limit:
                        break
        return b"\n".join(kept)

    def _open(self, path: str) -> int | None:
        """A regular file opened for reading; None where there is none."""
        place = self._place(path)
        if place is None:
            return None
        try:
            descriptor = os.open(place, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOFOLLOW)
        except FileNotFoundError:
            return None
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            os.close(descriptor)
            return None
        return descriptor

    @grant.register
    def _(self, wish: Names) -> None:
        for path in self._expanded(wish.patterns):
            place = self._place(path, follow_last=False)
            if place is None:
                continue
            try:
                info = os.lstat(place)
            except (FileNotFoundError, NotADirectoryError):
                continue
            except OSError as error:
                # Not known is not the same as not there.
                self.seen.faults[path] = error.strerror or str(error)
                continue
            self.seen.found[path] = Found(path, _kind(info.st_mode), info.st_size)

    @grant.register
    def _(self, wish: Links) -> None:
        for path in self._expanded(wish.patterns):
            place = self._place(path, follow_last=False)
            try:
                if place is not None:
                    self.seen.links[path] = os.readlink(place)
            except OSError:
                continue

    @grant.register
    def _(self, wish: Below) -> None:
        for folder in wish.folders:
            self.seen.below[folder] = sorted(self._below(folder, wish.endings))

    def _below(self, folder: str, endings: tuple[str, ...]) -> Iterator[str]:
        start = self._folder(folder)
        if start is None:
            return
        pending = [(start, folder)]
        looked_at = 0
        while pending and looked_at < MAX_PATHS * 10:
            place, path = pending.pop()
            try:
                entries = list(os.scandir(place))
            except OSError:
                continue
            looked_at += len(entries)
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    pending.append((entry.path, f"{path}/{entry.name}"))
                elif entry.name.endswith(endings) and entry.is_file(follow_symlinks=False):
                    yield f"{path}/{entry.name}"

    @grant.register
    def _(self, wish: Rooms) -> None:
        for path in wish.paths:
            place = self._place(path)
            try:
                if place is None:
                    continue
                room, device = os.statvfs(place), os.stat(place).st_dev
            except OSError:
                continue
            self.seen.rooms[path] = Room(
                free_bytes=room.f_bavail * room.f_frsize,
                total_bytes=room.f_blocks * room.f_frsize,
                free_inodes=room.f_favail,
                total_inodes=room.f_files,
                device=device,
            )

    @grant.register
    def _(self, wish: Sums) -> None:
        for path in wish.paths:
            try:
                descriptor = self._open(path)
                if descriptor is None:
                    continue
                with os.fdopen(descriptor, "rb", buffering=0) as stream:
                    content = _read_up_to(stream, wish.limit + 1)
            except OSError as error:
                self.seen.faults[path] = error.strerror or str(error)
                continue
            if len(content) > wish.limit:
                self.seen.faults[path] = f"longer than {wish.limit} bytes"
                continue
            md5 = hashlib.md5(content, usedforsecurity=False).hexdigest()
            self.seen.sums[path] = (md5, hashlib.sha256(content).hexdigest())

    @grant.register
    def _(self, wish: Stanzas) -> None:
        wanted = {name.encode() for name in wish.names}
        labels = tuple(f"{field}: ".encode() for field in wish.fields)
        for path in self._expanded(wish.patterns):
            try:
                descriptor = self._open(path)
                if descriptor is None:
                    continue
                with os.fdopen(descriptor, "rb", buffering=0) as stream:
                    content = _unpacked(_read_up_to(stream, _INDEX_LIMIT), path)
            except (OSError, PackingError) as error:
                self.seen.faults[path] = getattr(error, "strerror", "") or str(error)
                continue
            for stanza in stanzas_of(content, wanted):
                self.seen.stanzas.append(Stanza(path, _fields(stanza, labels)))

    # Finding the way inside the root

    def _folder(self, path: str) -> str | None:
        """Where a folder's absolute path stands, its links resolved; None where there is none."""
        known = self._folders.get(path, "")
        if known != "" or path == "":
            return known
        place = self._found_folder(path)
        self._folders[path] = place
        return place

    def _found_folder(self, path: str) -> str | None:
        above, _, name = path.rpartition("/")
        if name in ("", ".", ".."):
            return self._resolved(path, follow_last=True)
        parent = self._folder(above)
        if parent is None:
            return None
        candidate = f"{parent}/{name}"
        try:
            os.readlink(candidate)
        except (FileNotFoundError, NotADirectoryError):
            return None
        except OSError:
            return candidate
        return self._resolved(path, follow_last=True)

    def _place(self, path: str, *, follow_last: bool = True) -> str | None:
        """Where a path stands; None where links go round or leave no way."""
        if "\0" in path:
            return None
        folder, _, name = path.rstrip("/").rpartition("/")
        if name in ("", ".", ".."):
            return self._resolved(path, follow_last=follow_last)
        parent = self._folder(folder)
        if parent is None:
            return None
        place = f"{parent}/{name}"
        if follow_last and os.path.islink(place):
            return self._resolved(path, follow_last=True)
        return place

    def _resolved(self, path: str, *, follow_last: bool) -> str | None:
        pending = [part for part in reversed(path.split("/")) if part not in ("", ".")]
        parts: list[str] = []
        links = 0
        while pending:
            part = pending.pop()
            if part == "..":
                del parts[-1:]
                continue
            candidate = "/".join((self.root, *parts, part))
            target = None
            if pending or follow_last:
                try:
                    target = os.readlink(candidate)
                except OSError:
                    target = None
            if target is None:
                parts.append(part)
                continue
            links += 1
            if links > MAX_LINKS:
                return None
            if target.startswith("/"):
                parts.clear()
            pending += [piece for piece in reversed(target.split("/")) if piece not in ("", ".")]
        return "/".join((self.root, *parts)) or "/"

    def _expanded(self, patterns: Iterable[str]) -> Iterator[str]:
        for pattern in patterns:
            if _WILD.isdisjoint(pattern):
                yield pattern
            else:
                yield from self._matching(pattern)

    def _matching(self, pattern: str) -> list[str]:
        paths = [""]
        for part in pattern.split("/")[1:]:
            if _WILD.isdisjoint(part):
                paths = [f"{path}/{part}" for path in paths]
            else:
                paths = [f"{path}/{name}" for path in paths for name in self._names(path, part)][
                    :MAX_PATHS
                ]
        return paths

    def _names(self, folder: str, pattern: str) -> list[str]:
        place = self._folder(folder)
        if place is None:
            return []
        try:
            return sorted(fnmatch.filter(os.listdir(place or "/"), pattern))
        except (FileNotFoundError, NotADirectoryError):
            return []
        except OSError as error:
            self.seen.faults[f"{folder}/{pattern}"] = error.strerror or str(error)
            return []


def stanzas_of(content: bytes, wanted: set[bytes]) -> Iterator[bytes]:
    """The stanzas of an index whose Package field is among the wanted names."""
    start, label = 0, b"Package: "
    while True:
        at = start if content.startswith(label, start) else content.find(b"\n" + label, start) + 1
        if at == 0 and not content.startswith(label):
            return
        if at < start:
            return
        end_of_line = content.find(b"\n", at)
        if end_of_line < 0:
            return
        if content[at + len(label) : end_of_line] in wanted:
            begin = content.rfind(b"\n\n", 0, at) + 2 if at else 0
            end = content.find(b"\n\n", end_of_line)
            yield content[begin if begin > 1 else 0 : end if end >= 0 else None]
        start = end_of_line


def _unpacked(content: bytes, path: str) -> bytes:
    """An index as text, by the ending of its name."""
    ending = os.path.splitext(path)[1]
    return unpack(content, ending, _INDEX_LIMIT) if ending in PACKED else content


def _fields(stanza: bytes, labels: tuple[bytes, ...]) -> dict[str, str]:
    found = {}
    for line in stanza.split(b"\n"):
        if line.startswith(labels):
            name, _, value = line.partition(b": ")
            found[name.decode("ascii", "replace")] = value.decode("utf-8", "replace")
    return found


def _read_up_to(stream, limit: int) -> bytes:
    """Up to ``limit`` bytes; files of /proc come in pieces."""
    first = stream.read(min(limit, 1 << 20)) or b""
    if len(first) < 4096:
        # Most files are small; the second read sees the end, or more of a file of /proc.
        more = stream.read(min(limit - len(first), 1 << 20)) if first else b""
        if not more:
            return first
        first += more
    pieces, size = [first], len(first)
    while size < limit:
        piece = stream.read(min(limit - size, 1 << 24))
        if not piece:
            break
        pieces.append(piece)
        size += len(piece)
    return b"".join(pieces)


def _pieces(stream) -> Iterator[bytes]:
    size = 0
    while size < MAX_LOG_BYTES and (piece := stream.read(1 << 20)):
        size += len(piece)
        yield piece


def _decompressed(stream) -> Iterator[bytes]:
    """The content of a gzip file as far as ``MAX_LOG_BYTES`` reach; damage ends it."""
    inflater, size = zlib.decompressobj(wbits=31), 0
    for packed in _pieces(stream):
        try:
            while packed and size < MAX_LOG_BYTES:
                piece = inflater.decompress(packed, 1 << 20)
                packed = inflater.unconsumed_tail
                size += len(piece)
                yield piece
        except zlib.error:
            return


def _split(pieces: Iterable[bytes]) -> Iterator[bytes]:
    rest = b""
    for piece in pieces:
        *lines, rest = (rest + piece).split(b"\n")
        yield from lines
        if len(rest) > 1 << 20:
            rest = b""
    if rest:
        yield rest


def _kind(mode: int) -> str:
    if stat.S_ISREG(mode):
        return "file"
    if stat.S_ISDIR(mode):
        return "folder"
    return "link" if stat.S_ISLNK(mode) else "other"
