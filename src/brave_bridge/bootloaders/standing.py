"""Where a boot loader's files stand: which file system has them, and by what it is found."""

from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.survey.facts import Facts


def mount_of(facts: Facts, path: str) -> Mount | None:
    """The file system that holds a path: as it is mounted, else as fstab(5) has it."""
    mounts = facts.mounts or tuple(
        Mount(one.path, one.device, one.type) for one in facts.expected_mounts
    )
    fitting = [m for m in mounts if m.path == "/" or f"{path}/".startswith(f"{m.path}/")]
    return max(fitting, key=lambda mount: len(mount.path), default=None)


def mounted_at(facts: Facts, path: str) -> Mount | None:
    """What is mounted at that very path."""
    found = mount_of(facts, path)
    return found if found is not None and found.path == path else None


def uuid_of(facts: Facts, path: str) -> str:
    """The UUID by which fstab(5) names what is mounted there; empty where it does otherwise."""
    named = (one.device for one in facts.expected_mounts if one.path == path)
    found = next((device for device in named if device.startswith("UUID=")), "")
    return found.removeprefix("UUID=").strip('"')
