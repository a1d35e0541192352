"""Writing a file in one step: whole or not at all, and on the disk before it is there."""

import contextlib
import os
import secrets
import shutil
import stat
import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO


def replace_file(place: Path, content: bytes, mode: int | None = None) -> None:
    """Put a file in its place, keeping owner, mode and attributes of the one before. OSError."""
    with replacing(place, mode) as stream:
        stream.write(content)


def replace_by_copy(place: Path, source: Path) -> None:
    """Put another file's content in a file's place: as a second name of it where that can be.

    OSError. A link is not followed to the content.
    """
    descriptor = os.open(source, os.O_RDONLY | os.O_NOFOLLOW)
    with os.fdopen(descriptor, "rb") as stream:
        os.fsync(stream.fileno())
        temporary = place.with_name(f".brave-bridge-{secrets.token_hex(8)}")
        try:
            os.link(source, temporary, follow_symlinks=False)
        except OSError:
            # Another file system, or one without second names.
            with replacing(place) as copy:
                shutil.copyfileobj(stream, copy)
            return
    try:
        os.replace(temporary, place)
    finally:
        # It stays also where both were names of one file already (rename(2)).
        with contextlib.suppress(FileNotFoundError):
            os.unlink(temporary)
    _sync_folder(place.parent)


@contextlib.contextmanager
def replacing(place: Path, mode: int | None = None) -> Iterator[BinaryIO]:
    """The same for what is written piece by piece: it is there when all of it is. OSError.

    It is written beside it, under a name that nobody can know before: the folder may be
    somebody else's.
    """
    descriptor, temporary = tempfile.mkstemp(prefix=".brave-bridge-", dir=place.parent)
    try:
        with os.fdopen(descriptor, "w+b") as stream:
            yield stream
            stream.flush()
            _take_over(stream.fileno(), place, mode)
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(temporary, place)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise
    _sync_folder(place.parent)


def _take_over(descriptor: int, place: Path, mode: int | None) -> None:
    try:
        present = os.stat(place)
    except FileNotFoundError:
        os.fchmod(descriptor, 0o644 if mode is None else mode)
        return
    if (present.st_uid, present.st_gid) != (os.geteuid(), os.getegid()):
        os.fchown(descriptor, present.st_uid, present.st_gid)
    os.fchmod(descriptor, stat.S_IMODE(present.st_mode) if mode is None else mode)
    for name in os.listxattr(place):
        with contextlib.suppress(OSError):
            os.setxattr(descriptor, name, os.getxattr(place, name))


def _sync_folder(folder: Path) -> None:
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def set_aside_damaged(path: Path) -> Path:
    """Give a file that cannot be read another name beside it, where a person finds it. OSError."""
    stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")
    aside = path.with_name(f"{path.name}.damaged-{stamp}")
    os.rename(path, aside)
    return aside
