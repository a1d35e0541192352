"""Snapshots of btrfs subvolumes by their own public tool (btrfs-subvolume(8))."""

import os
import shutil
import subprocess
from pathlib import Path

_SUBVOLUME_INODE = 256


class BtrfsError(OSError):
    """The btrfs tool refused; the message is what it said."""


def is_subvolume(folder: Path) -> bool:
    """Whether a folder is the top of a btrfs subvolume and the tool is at hand."""
    try:
        if folder.stat().st_ino != _SUBVOLUME_INODE or shutil.which("btrfs") is None:
            return False
        return _file_system_type(folder) == "btrfs"
    except OSError:
        return False


def _file_system_type(folder: Path) -> str:
    """The type of the file system that holds a folder, from the kernel's mount table."""
    found = ""
    best = -1
    for line in Path("/proc/self/mountinfo").read_text().splitlines():
        fields, _, tail = line.partition(" - ")
        mount = fields.split()[4].encode().decode("unicode_escape")
        if _is_below(folder, mount) and len(mount) > best:
            best, found = len(mount), tail.split()[0]
    return found


def _is_below(folder: Path, mount: str) -> bool:
    return os.path.commonpath([str(folder.resolve()), mount]) == mount


def make_subvolume(folder: Path) -> None:
    """Make an empty subvolume, which snapshots of its parent do not contain."""
    _btrfs("subvolume", "create", str(folder))


def snapshot(source: Path, target: Path) -> None:
    """A read-only snapshot of a subvolume."""
    _btrfs("subvolume", "snapshot", "-r", str(source), str(target))


def delete(folder: Path) -> None:
    """Delete a snapshot."""
    _btrfs("subvolume", "delete", str(folder))


def _btrfs(*words: str) -> None:
    done = subprocess.run(["btrfs", *words], capture_output=True, text=True, check=False)
    if done.returncode != 0:
        raise BtrfsError(done.returncode, (done.stderr or done.stdout).strip())
