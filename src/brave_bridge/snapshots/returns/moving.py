"""Bringing a staged path into a live folder, also where no rename can lead there.

A rename ends at a folder of another project (quotas of xfs and ext4) and of another
encryption policy. What is staged is given the folder's project beforehand; where a rename
is refused all the same, the path is copied into the folder and renamed within it.
"""

import contextlib
import errno
import os
import stat

from brave_bridge.snapshots.trees.contents import Cloner, copy_content, open_to_read
from brave_bridge.snapshots.trees.describing import describe_open, describe_special
from brave_bridge.snapshots.trees.dressing import make_special, set_attributes
from brave_bridge.snapshots.trees.folders import opened
from brave_bridge.snapshots.trees.manifest import FILE, FOLDER, type_of
from brave_bridge.snapshots.trees.projects import set_project
from brave_bridge.snapshots.trees.removal import remove_tree
from brave_bridge.snapshots.trees.system_calls import exchange

_OWN = ".brave-bridge-return-"


def give_project(name: str, parent: int, project: int) -> None:
    """Give a staged path, with all in it, to a project. OSError(EDQUOT) where it is full."""
    status = os.stat(name, dir_fd=parent, follow_symlinks=False)
    is_folder = stat.S_ISDIR(status.st_mode)
    if not (is_folder or stat.S_ISREG(status.st_mode)):
        return
    descriptor = os.open(name, os.O_RDONLY | os.O_NOFOLLOW, dir_fd=parent)
    try:
        set_project(descriptor, project, inherits=is_folder)
        if is_folder:
            for inner in os.listdir(descriptor):
                give_project(inner, descriptor, project)
    finally:
        os.close(descriptor)


def move_in(staged: str, work: int, name: str, parent: int, *, replaces: bool) -> None:
    """Bring a staged path to its name in a live folder in one step.

    ``replaces``: what stands there is exchanged for it, and ends in the staging folder.
    """
    try:
        _rename(staged, work, name, parent, replaces=replaces)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        _copy_in(staged, work, name, parent, replaces=replaces)


def _rename(staged: str, work: int, name: str, parent: int, *, replaces: bool) -> None:
    if replaces and _exchanged(staged, work, name, parent):
        return
    try:
        os.rename(staged, name, src_dir_fd=work, dst_dir_fd=parent)
    except (IsADirectoryError, NotADirectoryError):
        exchange(staged, work, name, parent)


def _copy_in(staged: str, work: int, name: str, parent: int, *, replaces: bool) -> None:
    own = _OWN + staged.replace("/", "-")
    remove_tree(own, parent)
    try:
        _copy(staged, work, own, parent)
        _rename(own, parent, name, parent, replaces=replaces)
    finally:
        with contextlib.suppress(OSError):
            remove_tree(own, parent)


def _copy(name: str, source: int, new: str, target: int) -> None:
    """Copy a staged path, with all in it and all attributes."""
    status = os.stat(name, dir_fd=source, follow_symlinks=False)
    kind = type_of(status.st_mode)
    if kind not in (FILE, FOLDER):
        entry = describe_special("", name, source, status)
        make_special(entry, new, target)
        set_attributes(entry, new, target)
        return
    if kind == FOLDER:
        os.mkdir(new, 0o700, dir_fd=target)
        with opened(source, name) as inner, opened(target, new) as copy:
            for below in os.listdir(inner):
                _copy(below, inner, below, copy)
            entry = describe_open("", inner, status, "")
    else:
        entry = _copy_file(name, source, new, target, status)
    set_attributes(entry, new, target, with_flags=False)


def _copy_file(name: str, source: int, new: str, target: int, status: os.stat_result):
    original = open_to_read(name, source)
    copy = os.open(new, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600, dir_fd=target)
    try:
        copy_content(original, copy, status, Cloner())
        os.fsync(copy)
        return describe_open("", original, status, "")
    finally:
        os.close(original)
        os.close(copy)


def _exchanged(name: str, parent: int, other: str, other_parent: int) -> bool:
    """Swap two paths; False where the file system cannot, or where one is not there any more."""
    try:
        exchange(name, parent, other, other_parent)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOSYS, errno.ENOENT):
            raise
        return False
    return True
