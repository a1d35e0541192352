"""What is mounted from where, and what is swapped to."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, not_read, topic, unread
from brave_bridge.machines.queries import Contents, Seen

NAME = "mounts"
_SWAPS = "/proc/swaps"
QUERIES = (Contents((_SWAPS,), 64 * 1024),)
_OF_THE_KERNEL = (
    "proc",
    "sysfs",
    "tmpfs",
    "devtmpfs",
    "devpts",
    "cgroup",
    "cgroup2",
    "securityfs",
    "debugfs",
    "tracefs",
    "mqueue",
    "hugetlbfs",
    "configfs",
    "fusectl",
    "bpf",
    "pstore",
    "efivarfs",
    "autofs",
    "binfmt_misc",
    "ramfs",
    "nsfs",
    "rpc_pipefs",
    "squashfs",
)
_PASSING = ("/run/", "/proc/", "/sys/", "/dev/", "/var/lib/docker/", "/var/lib/containers/")


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    if not facts.runs:
        return absent(NAME, "/proc/self/mounts", AT_REST)
    if not facts.mounts:
        return unread(NAME, "/proc/self/mounts", "a system that runs has mounts, and none is told")
    values = {
        mount.path: f"{mount.device} {mount.type}"
        for mount in facts.mounts
        if mount.type not in _OF_THE_KERNEL and not mount.path.startswith(_PASSING)
    }
    for line in (seen.text(_SWAPS) or "").splitlines()[1:]:
        words = line.split()
        if len(words) >= 3:
            values[f"swap {words[0]}"] = words[1]
    return topic(NAME, values, f"/proc/self/mounts, {_SWAPS}", not_read(seen, (_SWAPS,)))
