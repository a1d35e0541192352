"""Projects of files and folders, which quotas are counted by (ioctl_xfs_fsgetxattr(2))."""

import fcntl
import struct

_GETXATTR, _SETXATTR = 0x801C581F, 0x401C5820
_FSXATTR = struct.Struct("5I8x")
_INHERITS = 0x200


def project_of(folder: int) -> int:
    """The project that what comes into an open folder belongs to; 0 where it says none."""
    flags, _, _, project, _ = _read(folder)
    return project if flags & _INHERITS else 0


def set_project(descriptor: int, project: int, *, inherits: bool) -> None:
    """Give what is open to a project; a folder with all that comes into it. OSError."""
    flags, extent, count, _, cow = _read(descriptor)
    flags |= _INHERITS if inherits else 0
    fcntl.ioctl(descriptor, _SETXATTR, _FSXATTR.pack(flags, extent, count, project, cow))


def _read(descriptor: int) -> tuple[int, int, int, int, int]:
    try:
        return _FSXATTR.unpack(fcntl.ioctl(descriptor, _GETXATTR, bytes(_FSXATTR.size)))
    except OSError:
        return 0, 0, 0, 0, 0
