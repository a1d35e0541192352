"""Files that a person names, and what the kernel tells of itself.

Where a person points to, links are followed: it is theirs to say. What stands there is read and
written in the same way as everything else.
"""

import os
from collections.abc import Iterator
from pathlib import Path

from brave_bridge.machines.opening.beneath import OTHER, Beneath, kind_of

_LARGEST_TEXT = 4_000_000


def named(path: str | os.PathLike[str]) -> Beneath:
    """What stands where a person points to, links followed now and never again."""
    place = os.path.realpath(os.path.abspath(path))
    folder, name = os.path.split(place)
    return Beneath(folder, name)


def named_folder(path: str | os.PathLike[str]) -> Beneath:
    """A folder that a person names, as the top of what stands below it."""
    return Beneath(os.path.realpath(os.path.abspath(path)))


def ours_at(path: str | os.PathLike[str]) -> Beneath:
    """A file of our own by its whole path; the folder that it stands in is trusted."""
    folder, name = os.path.split(os.fspath(path))
    return Beneath(folder, name, ours=True)


def write_named(path: str | os.PathLike[str], content: bytes) -> Path:
    """Write a file where a person wants it, with the folders above; its path. OSError.

    A terminal, pipe or device that they name is written to as it is.
    """
    if os.path.exists(path) and kind_of(os.stat(path).st_mode) == OTHER:
        with open(path, "wb") as stream:
            stream.write(content)
        return Path(path)
    place = named(path)
    os.makedirs(place.top, exist_ok=True)
    place.write(content)
    return Path(path)


def kernel_text(path: str, limit: int = _LARGEST_TEXT) -> str:
    """The first bytes of a text of the kernel's (proc(5), sysfs(5)); empty where it has none."""
    folder, _, name = path.rpartition("/")
    try:
        with Beneath(folder, name).opened() as stream:
            return stream.read(limit).decode("utf-8", "surrogateescape")
    except OSError:
        return ""


def kernel_lines(path: str) -> Iterator[str]:
    """The lines of such a text."""
    yield from kernel_text(path).splitlines()
