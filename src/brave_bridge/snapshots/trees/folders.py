"""Folders of a tree, opened and listed so that nothing leads out of the tree.

Everything works relative to open folders; no link is followed on the way, and no mount is
entered (openat2(2), RESOLVE_BENEATH, RESOLVE_NO_SYMLINKS and RESOLVE_NO_XDEV).
"""

import contextlib
import os
from collections.abc import Callable, Container, Iterable, Iterator

import msgspec

from brave_bridge.machines.opening.kernel import open_beneath
from brave_bridge.snapshots.trees.cover import Leaver
from brave_bridge.snapshots.trees.dressing import unlock
from brave_bridge.snapshots.trees.manifest import FOLDER, joined, type_of


def open_root(path: str | os.PathLike) -> int:
    """Open the folder that a tree stands in, which is no link."""
    return os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC)


def open_folder(root: int, path: str) -> int:
    """Open a folder of the tree.

    OSError(ELOOP) where a link stands in the way, OSError(EXDEV) where a mount does.
    """
    return open_beneath(root, path, within_mount=True)


class opened:
    """An open folder of the tree, closed afterwards."""

    __slots__ = ("descriptor",)

    def __init__(self, root: int, path: str) -> None:
        self.descriptor = open_folder(root, path)

    def __enter__(self) -> int:
        return self.descriptor

    def __exit__(self, *_error: object) -> None:
        os.close(self.descriptor)


class opened_root(opened):
    """The open folder that a tree stands in, closed afterwards."""

    __slots__ = ()

    def __init__(self, path: str | os.PathLike) -> None:
        self.descriptor = open_root(path)


class opened_parent(opened):
    """The open folder that a path stands in, and its name there."""

    __slots__ = ("name",)

    def __init__(self, root: int, path: str) -> None:
        folder, _, self.name = path.rpartition("/")
        super().__init__(root, folder)

    def __enter__(self) -> tuple[int, str]:
        return self.descriptor, self.name


def make_folder(root: int, path: str) -> None:
    """Make a folder of the tree, for its owner alone, in one that is there."""
    with opened_parent(root, path) as (parent, name):
        os.mkdir(name, 0o700, dir_fd=parent)


def give_name(root: int, path: str, more: str) -> None:
    """Give a file of the tree one more name (link(2)); a link is not followed."""
    with opened_parent(root, path) as (source, name), opened_parent(root, more) as (target, new):
        os.link(name, new, src_dir_fd=source, dst_dir_fd=target, follow_symlinks=False)


class Boundary:
    """Where a walk below an open folder ends: at other file systems, subvolumes and mounts.

    ``mounts`` are the mount points below it, by path from there; those of the same file
    system are told by nothing else.
    """

    def __init__(self, root: int, mounts: Iterable[str] = ()) -> None:
        self.device = os.fstat(root).st_dev
        self._mounts: dict[str, set[str]] = {}
        for path in mounts:
            folder, _, name = path.rpartition("/")
            self._mounts.setdefault(folder, set()).add(name)

    def mounted_in(self, folder: str) -> Container[str]:
        """The names in a folder that something is mounted on."""
        return self._mounts.get(folder, ())


class Listing(msgspec.Struct):
    """What is in a folder, by name: the folders to go into, the rest, and the places.

    ``places`` are folders that are left out or that another file system is mounted on;
    ``apart`` names the latter. ``left_out`` says whether anything in it is not covered.
    """

    folders: dict[str, os.stat_result]
    others: dict[str, os.stat_result]
    places: dict[str, os.stat_result]
    apart: list[str]
    sockets: list[str]
    left_out: bool = False


def list_folder(descriptor: int, path: str, boundary: Boundary, leaver: Leaver) -> Listing:
    """List an open folder that stands at ``path``; what vanishes is not met."""
    listing = Listing({}, {}, {}, [], [])
    left_out = leaver.within(path)
    mounted = boundary.mounted_in(path)
    with os.scandir(descriptor) as entries:
        # In the order of their inodes, which is how a disk has them.
        found = sorted(entries, key=os.DirEntry.inode)
    for entry in found:
        name = entry.name
        try:
            status = entry.stat(follow_symlinks=False)
        except FileNotFoundError:
            continue
        kind = type_of(status.st_mode)
        if left_out and left_out(joined(path, name)):
            listing.left_out = True
            if kind == FOLDER and joined(path, name) not in leaver.without_trace:
                listing.places[name] = status
        elif status.st_dev != boundary.device or name in mounted:
            listing.left_out = True
            listing.apart.append(joined(path, name))
            if kind == FOLDER:
                listing.places[name] = status
        elif kind == FOLDER:
            listing.folders[name] = status
        elif kind:
            listing.others[name] = status
        else:
            listing.sockets.append(joined(path, name))
    return listing


@contextlib.contextmanager
def whole_path(path: str) -> Iterator[None]:
    """Whatever fails in it names the whole path in the tree, not a name in some folder."""
    try:
        yield
    except OSError as error:
        raise OSError(error.errno, error.strerror or str(error), f"/{path}") from error


def unlocked(deed: Callable[[], None], name: str, parent: int) -> None:
    """Do a deed on a path; where it is refused because of flags, take them away and try again."""
    try:
        deed()
    except PermissionError:
        released = [unlock(name, parent), unlock(".", parent)]
        if not any(released):
            raise
        deed()
