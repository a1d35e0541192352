"""Copying the plain files of one folder, hashed on the way, with all that belongs to them.

This is done a hundred thousand times in a snapshot: what can be known once for a folder is
not asked again for each file in it.
"""

import contextlib
import errno
import os

import msgspec

from brave_bridge.snapshots.trees.contents import Cloner, copy_content, open_ahead, open_to_read
from brave_bridge.snapshots.trees.describing import plain_entry
from brave_bridge.snapshots.trees.dressing import dress_new
from brave_bridge.snapshots.trees.manifest import Entry

_TRIES = 3
_NEW_FILE = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW

_LESS_ATTRIBUTES = (errno.EPERM, errno.EOPNOTSUPP, errno.ENOTSUP, errno.EINVAL, errno.EACCES)
"""What a folder that keeps snapshots may refuse: the manifest has all attributes anyway."""


class FileCopier:
    """Copies plain files from one open folder into another.

    ``unstable`` are paths, as the manifest writes them, of files that would not keep still.
    """

    def __init__(self, source: int, target: int, cloner: Cloner) -> None:
        self.source = source
        self.target = target
        self.cloner = cloner
        self.unstable: list[str] = []
        self._ahead: dict[str, int] = {}
        self._new: dict[int, os.stat_result] = {}

    def ask_for(self, name: str, size: int) -> None:
        """Have the disk bring a file that will be copied soon."""
        with contextlib.suppress(OSError):
            self._ahead[name] = open_ahead(name, self.source, size)

    def forget(self) -> None:
        """Close what was asked for and not copied."""
        for descriptor in self._ahead.values():
            os.close(descriptor)
        self._ahead.clear()

    def copy(self, name: str, path: str, status: os.stat_result, new_name: str = "") -> Entry:
        """Copy a file that was like ``status``; again, where it is another afterwards.

        ``path`` is what its entry says, as a manifest writes it. FileNotFoundError where
        it has vanished.
        """
        for _ in range(_TRIES):
            source = self._ahead.pop(name, -1)
            if source < 0:
                source = open_to_read(name, self.source)
            try:
                entry, after = self._copied(source, new_name or name, path, status)
            finally:
                os.close(source)
            if (
                after.st_size == entry.size
                and after.st_mtime_ns == status.st_mtime_ns
                and after.st_ctime_ns == status.st_ctime_ns
            ):
                return entry
            status = after
        self.unstable.append(path)
        # Without the ctime no later snapshot takes it for untouched.
        return msgspec.structs.replace(entry, ctime_ns=0)

    def _copied(
        self, source: int, name: str, path: str, status: os.stat_result
    ) -> tuple[Entry, os.stat_result]:
        """The entry of what was read, and the status afterwards."""
        # No folder on the way to it can be entered by others before it is dressed.
        mode = status.st_mode & 0o777
        copy = os.open(name, _NEW_FILE, mode, dir_fd=self.target)
        try:
            digest, length = copy_content(source, copy, status, self.cloner)
            after = os.fstat(source)
            entry = plain_entry(path, source, after, digest, length)
            new = self._new.get(mode)
            if new is None:
                # Whatever is made in this folder with that mode is the same's, with that mode.
                new = self._new[mode] = os.fstat(copy)
            dress(entry, copy, new)
        finally:
            os.close(copy)
        return entry, after


def dress(entry: Entry, copy: int, status: os.stat_result) -> None:
    """Give what was just made in a snapshot, and is like ``status``, what its place allows."""
    try:
        dress_new(entry, copy, status)
    except OSError as error:
        if not may_be_refused(error):
            raise
        with contextlib.suppress(OSError):
            os.utime(copy, ns=(entry.mtime_ns, entry.mtime_ns))


def may_be_refused(error: OSError) -> bool:
    """Whether a place that keeps snapshots may refuse that: the manifest has it anyway."""
    return error.errno in _LESS_ATTRIBUTES
