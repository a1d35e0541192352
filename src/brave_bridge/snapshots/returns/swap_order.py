"""In which order the paths of a live tree are changed, so that it can start at every instant."""

from collections.abc import Set

_BOOT = ("boot", "efi", "etc/kernel", "etc/fstab", "etc/default/grub")
_PROGRAMS = ("usr/", "lib", "bin", "sbin")


def depth(path: str) -> int:
    """How many folders and names lead to a path; 0 for the root."""
    return path.count("/") + 1 if path else 0


def belongs_to_boot(path: str) -> bool:
    """Whether the boot loader, a kernel or its modules are there: changed last."""
    return path.startswith(_BOOT) or "/modules/" in path


def swap_order(path: str) -> tuple[bool, int, str]:
    """What paths are sorted by: libraries and programs together and first, folder by folder."""
    return (not path.startswith(_PROGRAMS), depth(path), path)


def is_below(path: str, folders: Set[str]) -> bool:
    """Whether one of the folders is above a path."""
    while folders and path:
        path = path.rpartition("/")[0]
        if path in folders:
            return True
    return False
