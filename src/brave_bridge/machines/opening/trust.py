"""Who else may have written somewhere: by owner, mode and access control list (acl(5))."""

import os
import stat
import struct

_ACL = "system.posix_acl_access"
_HEAD, _ENTRY = struct.Struct("<I"), struct.Struct("<HHI")
_USER, _GROUP, _MASK = 0x02, 0x08, 0x10
_WRITE = 2


def is_of_another(status: os.stat_result) -> bool:
    """Whether it belongs to neither root nor this user."""
    return status.st_uid not in (0, os.geteuid())


def others_may_write(place: str | os.PathLike[str] | int, status: os.stat_result) -> bool:
    """Whether somebody beside its owner and root's own group may write to a file or folder."""
    if status.st_mode & stat.S_IWOTH:
        return True
    if not status.st_mode & stat.S_IWGRP:
        return False
    # With a list the mode shows its mask, and not what the group may.
    return status.st_gid != 0 or _list_lets_write(place)


def _list_lets_write(place: str | os.PathLike[str] | int) -> bool:
    """Whether a list names somebody who may write. What cannot be read is none."""
    try:
        content = os.getxattr(place, _ACL)
    except OSError:
        return False
    named, mask = 0, _WRITE
    for at in range(_HEAD.size, len(content) - _ENTRY.size + 1, _ENTRY.size):
        tag, allowed, _ = _ENTRY.unpack_from(content, at)
        if tag in (_USER, _GROUP):
            named |= allowed
        elif tag == _MASK:
            mask = allowed
    return bool(named & mask & _WRITE)


def why_not_trusted(place: str | os.PathLike[str], *, ours_alone: bool = False) -> str:
    """Why a file or folder cannot be trusted, beginning with it; empty where it can.

    ``ours_alone``: it was made for its owner alone, so that not even root's group may write there.
    FileNotFoundError where nothing stands there. A link is not followed, and not trusted.
    """
    status = os.lstat(place)
    if stat.S_ISLNK(status.st_mode):
        return f"a link stands in it: {place}"
    if is_of_another(status):
        return f"others than root may have changed it: {place} belongs to user {status.st_uid}"
    if others_may_write(place, status) or (ours_alone and status.st_mode & stat.S_IWGRP):
        return f"others than root may have changed it: {place}"
    return ""
