"""File systems: what is mounted, what should be, and how much room there is."""

from brave_bridge.core.formats.fstab import ExpectedMount, read_fstab
from brave_bridge.core.formats.proc import Mount, read_mounts
from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.platform import Space
from brave_bridge.machines.wishes import Contents, Rooms, Seen

_SYSTEM_PLACES = ("/", "/usr", "/var", "/var/cache", "/boot", "/boot/efi", "/boot/firmware", "/opt",
                  "/srv", "/home")  # fmt: skip
MOUNTS = "/proc/self/mounts"
WISHES = (Contents((MOUNTS, "/etc/fstab"), 256 * 1024), Rooms(_SYSTEM_PLACES))
_NO_DISK = frozenset(
    ("autofs", "bpf", "cgroup", "cgroup2", "configfs", "debugfs", "devpts", "devtmpfs", "efivarfs",
     "fusectl", "hugetlbfs", "mqueue", "nsfs", "proc", "pstore", "ramfs", "rpc_pipefs",
     "securityfs", "squashfs", "sysfs", "tmpfs", "tracefs")
)  # fmt: skip
"""Kinds of file systems that stand on no disk, or cannot be written to at all."""


def read(
    seen: Seen, runs: bool
) -> tuple[tuple[Mount, ...], tuple[ExpectedMount, ...], list[Evidence]]:
    """The mounted file systems that stand on something, and those that fstab names."""
    expected = tuple(read_fstab(seen.text("/etc/fstab") or ""))
    table = Evidence(
        "fstab", "/etc/fstab", counted(len(expected), "file system"),
        absent="" if expected else "there is no table of file systems: a container or an image",
    )  # fmt: skip
    if not runs:
        why = "the system is mounted and does not run"
        return (), expected, [table, Evidence("mounts", MOUNTS, "", absent=why)]
    mounts = tuple(m for m in read_mounts(seen.text(MOUNTS) or "") if m.type not in _NO_DISK)
    absent = "" if mounts else "the kernel tells of no mounts"
    seen_words = counted(len(mounts), "file system")
    return mounts, expected, [table, Evidence("mounts", MOUNTS, seen_words, absent=absent)]


def rooms(seen: Seen) -> tuple[Space, ...]:
    """Room on each file system that holds a part of the system."""
    spaces, devices = [], set()
    for path in _SYSTEM_PLACES:
        room = seen.rooms.get(path)
        if room is None or room.device in devices:
            continue
        devices.add(room.device)
        spaces.append(
            Space(
                path=path,
                free_bytes=room.free_bytes,
                total_bytes=room.total_bytes,
                free_inodes=room.free_inodes,
                total_inodes=room.total_inodes,
                device=room.device,
            )
        )
    return tuple(spaces)
