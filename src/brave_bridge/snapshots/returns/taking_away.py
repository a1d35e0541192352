"""Taking away what came since a snapshot: never more than that, and nothing out of the tree."""

import errno
import os

from brave_bridge.snapshots.jobs.compare import Difference
from brave_bridge.snapshots.trees.folders import opened_parent, unlocked
from brave_bridge.snapshots.trees.manifest import FOLDER, decoded_path


def take_away(difference: Difference, root: int) -> None:
    """Remove what the snapshot does not have; a folder only once nothing covered is in it."""
    try:
        with opened_parent(root, decoded_path(difference.path)) as (parent, name):
            if difference.type == FOLDER:
                _take_folder_away(name, parent)
            else:
                unlocked(lambda: os.unlink(name, dir_fd=parent), name, parent)
    except (FileNotFoundError, NotADirectoryError):
        return
    except OSError as error:
        # A folder above has become a link: what it leads to is none of this tree.
        if error.errno != errno.ELOOP:
            raise OSError(
                error.errno, error.strerror, f"/{decoded_path(difference.path)}"
            ) from error


def _take_folder_away(name: str, parent: int) -> None:
    try:
        unlocked(lambda: os.rmdir(name, dir_fd=parent), name, parent)
    except NotADirectoryError:
        return
    except OSError as error:
        if error.errno not in (errno.ENOTEMPTY, errno.EBUSY, errno.EEXIST):
            raise
