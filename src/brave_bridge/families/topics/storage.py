"""File systems: what is mounted, what should be, and how much room there is."""

from collections.abc import Iterator

from brave_bridge.core.formats.disk_health import health_of
from brave_bridge.core.formats.fstab import ExpectedMount, read_fstab
from brave_bridge.core.formats.proc import WITHOUT_A_DISK, Mount, read_mounts
from brave_bridge.core.formats.text import counted, one_line
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.platform import Disk, Space
from brave_bridge.machines.queries import Answers, Contents, Query, Rooms, Seen

_SYSTEM_PLACES = (
    "/",
    "/usr",
    "/var",
    "/var/cache",
    "/boot",
    "/boot/efi",
    "/boot/firmware",
    "/opt",
    "/srv",
    "/home",
)
MOUNTS = "/proc/self/mounts"
_DISKS = "/sys/block"
_WWIDS = ("wwid", "device/wwid")
_TOLD_OF_A_DISK = ("queue/rotational", "removable", "device/model", "device/state", *_WWIDS)
QUERIES = (
    Contents((MOUNTS, "/etc/fstab"), 256 * 1024),
    Contents(tuple(f"{_DISKS}/*/{name}" for name in ("size", *_TOLD_OF_A_DISK)), 256),
    Rooms(_SYSTEM_PLACES),
)
_NOT_A_DISK = ("loop", "ram", "zram", "sr", "fd")
_SECTOR_BYTES = 512
_MOST_MOUNTS, _MOST_DISKS = 200, 64


def read(
    seen: Seen, runs: bool
) -> tuple[tuple[Mount, ...], tuple[ExpectedMount, ...], list[Evidence]]:
    """The mounted file systems that stand on something, and those that fstab names."""
    expected = tuple(read_fstab(seen.text("/etc/fstab") or ""))
    table = Evidence(
        "fstab",
        "/etc/fstab",
        counted(len(expected), "file system"),
        absent="" if expected else "there is no table of file systems: a container or an image",
    )
    if not runs:
        why = "the system is mounted and does not run"
        return (), expected, [table, Evidence("mounts", MOUNTS, "", absent=why)]
    mounts = tuple(m for m in read_mounts(seen.text(MOUNTS) or "") if m.type not in WITHOUT_A_DISK)
    absent = "" if mounts else "the kernel tells of no mounts"
    seen_words = counted(len(mounts), "file system")
    return mounts, expected, [table, Evidence("mounts", MOUNTS, seen_words, absent=absent)]


def further(seen: Seen) -> tuple[Query, ...]:
    """Room on every other file system that is mounted, and what disks say of themselves."""
    mounted = [m.path for m in read_mounts(seen.text(MOUNTS) or "") if m.type not in WITHOUT_A_DISK]
    others = tuple(path for path in mounted if path not in _SYSTEM_PLACES)[:_MOST_MOUNTS]
    health = tuple(_asking_health(name) for name, _ in _sizes(seen) if _can_tell_health(name))
    return (
        *((Rooms(others),) if others else ()),
        *((Answers(health[:_MOST_DISKS]),) if health else ()),
    )


def _sizes(seen: Seen) -> Iterator[tuple[str, int]]:
    """Each disk that has any room, with its size in bytes."""
    for path, size in seen.texts(f"{_DISKS}/*/size"):
        name = path.split("/")[-2]
        if size.strip().isdigit() and int(size) and not name.startswith(_NOT_A_DISK):
            yield name, int(size) * _SECTOR_BYTES


def _can_tell_health(name: str) -> bool:
    """Whether a disk is of a kind that knows of its own health."""
    return name.startswith(("sd", "nvme", "hd"))


def _asking_health(name: str) -> tuple[str, ...]:
    """The question after a disk's health: one that sleeps is not woken for it."""
    return ("smartctl", "--health", "--json", "--nocheck=standby", f"/dev/{name}")


def disks(seen: Seen, runs: bool) -> tuple[tuple[Disk, ...], Evidence]:
    """The block devices that data can lie on."""
    if not runs:
        why = "the system is mounted and does not run; its machine may be another one"
        return (), Evidence("disks", _DISKS, "", absent=why)
    found = []
    for name, size in _sizes(seen):
        folder = f"{_DISKS}/{name}"
        turns = seen.word(f"{folder}/queue/rotational")
        marks = (seen.word(f"{folder}/{wwid}") for wwid in _WWIDS)
        found.append(
            Disk(
                name=one_line(name, 40),
                size_bytes=size,
                model=one_line(seen.word(f"{folder}/device/model"), 60),
                turns=turns == "1" if turns else None,
                mark=one_line(next(filter(None, marks), ""), 100),
                state=one_line(seen.word(f"{folder}/device/state"), 40),
                health=health_of(seen.answer(*_asking_health(name)).output),
                is_removable=seen.word(f"{folder}/removable") == "1",
            )
        )
    absent = "" if found else "the kernel tells of no disks"
    return tuple(found), Evidence("disks", _DISKS, counted(len(found), "disk"), absent=absent)


def rooms(seen: Seen) -> tuple[Space, ...]:
    """Room on each file system, those that hold a part of the system first."""
    spaces, devices = [], set()
    others = sorted(path for path in seen.rooms if path not in _SYSTEM_PLACES)
    for path in (*_SYSTEM_PLACES, *others):
        room = seen.rooms.get(path)
        if room is None or room.device in devices:
            continue
        devices.add(room.device)
        spaces.append(
            Space(
                path=one_line(path),
                free_bytes=room.free_bytes,
                total_bytes=room.total_bytes,
                free_inodes=room.free_inodes,
                total_inodes=room.total_inodes,
                device=room.device,
            )
        )
    return tuple(spaces)
