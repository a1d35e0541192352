"""Files of /proc (proc(5)): what the running kernel says of itself and of the machine."""

import ipaddress
import re

import msgspec

_ESCAPED = re.compile(r"\\([0-7]{3})")
_LISTEN = "0A"

WITHOUT_A_DISK = frozenset(
    (
        "autofs",
        "binfmt_misc",
        "bpf",
        "cgroup",
        "cgroup2",
        "configfs",
        "debugfs",
        "devpts",
        "devtmpfs",
        "efivarfs",
        "fusectl",
        "hugetlbfs",
        "iso9660",
        "mqueue",
        "nsfs",
        "proc",
        "pstore",
        "ramfs",
        "rpc_pipefs",
        "securityfs",
        "selinuxfs",
        "squashfs",
        "sysfs",
        "tmpfs",
        "tracefs",
    )
)
"""Kinds of file systems that stand on no disk, or cannot be written to at all."""


class Mount(msgspec.Struct, frozen=True):
    """A file system that is mounted (proc_pid_mounts(5))."""

    path: str
    device: str
    type: str
    options: str = ""

    @property
    def is_read_only(self) -> bool:
        """Whether nothing can be written to it."""
        return "ro" in self.options.split(",")


class Port(msgspec.Struct, frozen=True):
    """A socket that waits for others; ``address`` is ``*`` where it takes every one."""

    protocol: str
    address: str
    number: int

    @property
    def title(self) -> str:
        """As a person says it: ``tcp 80``."""
        where = "" if self.address == "*" else f" on {self.address}"
        return f"{self.protocol} {self.number}{where}"


def unescaped(word: str) -> str:
    """A word of mounts or fstab with its octal escapes (``\\040`` is a blank) resolved."""
    return _ESCAPED.sub(lambda match: chr(int(match[1], 8)), word)


def read_mounts(text: str) -> list[Mount]:
    """The lines of /proc/self/mounts; lines that are none are passed over."""
    found = []
    for line in text.splitlines():
        words = line.split(" ")
        if len(words) >= 4 and words[1].startswith("/"):
            device, path, kind, options = (unescaped(word) for word in words[:4])
            found.append(Mount(path, device, kind, options))
    return found


class MountInfo(msgspec.Struct, frozen=True):
    """A mount as /proc/self/mountinfo tells it (proc_pid_mountinfo(5)).

    ``root`` is the folder of the file system that is mounted there: on btrfs its subvolume.
    """

    path: str
    root: str
    device: str
    type: str
    options: str = ""


def read_mountinfo(text: str) -> list[MountInfo]:
    """The lines of mountinfo, a later mount over the same path in place of the earlier."""
    found: dict[str, MountInfo] = {}
    for line in text.splitlines():
        fields, _, tail = line.partition(" - ")
        words, last = fields.split(" "), tail.split(" ")
        if len(words) >= 6 and len(last) >= 2:
            path = unescaped(words[4])
            found.pop(path, None)
            found[path] = MountInfo(
                path, unescaped(words[3]), unescaped(last[1]), last[0], words[5]
            )
    return list(found.values())


def read_fields(text: str) -> dict[str, str]:
    """``Name: value`` lines, the first of each name (cpuinfo, meminfo)."""
    values: dict[str, str] = {}
    for line in text.splitlines():
        name, colon, value = line.partition(":")
        if colon:
            values.setdefault(name.strip(), value.strip())
    return values


def memory_bytes(meminfo: str) -> int:
    """MemTotal of /proc/meminfo in bytes; 0 where it is not there."""
    words = read_fields(meminfo).get("MemTotal", "").split()
    return int(words[0]) * 1024 if words and words[0].isdigit() else 0


def read_modules(text: str) -> list[tuple[str, str]]:
    """The loaded modules of /proc/modules, each with its taint letters (``OE``)."""
    found = []
    for line in text.splitlines():
        words = line.split()
        if len(words) >= 3:
            taint = words[-1].strip("()") if words[-1].startswith("(") else ""
            found.append((words[0], taint))
    return found


def read_listening(text: str, protocol: str) -> list[Port]:
    """The listening sockets of /proc/net/tcp, tcp6, udp or udp6; loopback ones are left out."""
    found = []
    for line in text.splitlines()[1:]:
        words = line.split()
        if len(words) < 4 or (protocol == "tcp" and words[3] != _LISTEN):
            continue
        if protocol == "udp" and not words[2].endswith(":0000"):
            continue
        address, _, number = words[1].rpartition(":")
        try:
            shown = _address(address)
            port = int(number, 16)
        except ValueError:
            continue
        if port and shown is not None:
            found.append(Port(protocol, shown, port))
    return found


def _address(text: str) -> str | None:
    """An address as /proc/net writes it (words in host order); None for loopback."""
    raw = bytes.fromhex(text)
    words = [raw[start : start + 4][::-1] for start in range(0, len(raw), 4)]
    address = ipaddress.ip_address(b"".join(words))
    if address.is_loopback:
        return None
    return "*" if address.is_unspecified else str(address)


def seconds_up(uptime: str) -> int:
    """The first number of /proc/uptime."""
    try:
        return int(float(uptime.split()[0]))
    except (IndexError, ValueError):
        return 0


BOOT_ID = "/proc/sys/kernel/random/boot_id"
FIRST_PROCESS = "/proc/1/stat"
_TICKS_A_SECOND = 100
"""USER_HZ, which is the same on every Linux of today (proc(5), sysconf(3))."""

_TICKS_OF_A_BOOT = 60 * _TICKS_A_SECOND
"""Within so many clock ticks after the kernel the init of a whole machine starts."""


def boot_mark(boot_id: str, first_process: str) -> str:
    """What changes with every boot, from the kernel's boot id and /proc/1/stat (proc(5)).

    A container that restarts keeps the kernel and its boot id: it is known by when its first
    process began, which is field 22.
    """
    began = _began(first_process)
    return f"{boot_id}+{began}" if boot_id and began > _TICKS_OF_A_BOOT else boot_id


def seconds_since_boot(uptime: str, first_process: str) -> int:
    """How long the system has been up: a container no longer than its own first process."""
    up = seconds_up(uptime)
    return max(up - _began(first_process) // _TICKS_A_SECOND, 1) if up else 0


def process_name(stat: str) -> str:
    """The name of a process, from its /proc/PID/stat (proc_pid_stat(5)): it may have brackets."""
    return stat.partition("(")[2].rpartition(")")[0]


def _began(stat: str) -> int:
    """When a process began, in clock ticks after the kernel; 0 where that is not told."""
    fields = stat.rpartition(")")[2].split()
    return int(fields[19]) if len(fields) > 19 and fields[19].isdigit() else 0


def deleted_files(maps: str) -> list[str]:
    """The replaced libraries and programs that a process still has mapped (/proc/PID/maps)."""
    found: dict[str, None] = {}
    for line in maps.splitlines():
        path = line[line.find("/") :] if "/" in line else ""
        path, deleted, _ = path.partition(" (deleted)")
        if deleted and path.startswith(("/usr/", "/lib", "/bin/", "/sbin/", "/opt/")):
            found[path] = None
    return list(found)
