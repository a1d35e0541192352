"""btrfs subvolumes, as far as whoever makes a folder has to know of them."""

import fcntl
import shutil
import subprocess
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath

_TOP_INODE = 256
_FS_INFO, _FS_INFO_SIZE = 0x8400941F, 1024
_PATIENCE_SECONDS = 60


def is_subvolume(folder: Path) -> bool:
    """Whether a folder is the top of a btrfs subvolume and the tool is at hand."""
    try:
        if folder.stat().st_ino != _TOP_INODE or shutil.which("btrfs") is None:
            return False
        return bool(file_system_uuid(folder))
    except OSError:
        return False


def file_system_uuid(folder: Path) -> bytes:
    """The file system's own UUID (BTRFS_IOC_FS_INFO); empty where it is no btrfs. OSError."""
    with Beneath(folder).opened_folder() as descriptor:
        try:
            return fcntl.ioctl(descriptor, _FS_INFO, bytes(_FS_INFO_SIZE))[16:32]
        except OSError:
            return b""


def make_subvolume(folder: Path) -> None:
    """Make an empty subvolume, which snapshots of its parent do not contain. OSError."""
    try:
        done = subprocess.run(
            ["btrfs", "subvolume", "create", str(folder)],
            capture_output=True,
            text=True,
            errors="replace",
            check=False,
            timeout=_PATIENCE_SECONDS,
            stdin=subprocess.DEVNULL,
        )
    except subprocess.TimeoutExpired as error:
        raise OSError(110, "btrfs subvolume create gave no answer") from error
    if done.returncode != 0:
        raise OSError(5, done.stderr.strip() or f"btrfs ended with {done.returncode}")
