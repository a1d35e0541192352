"""Who a machine is, by its own files, on any family."""

from brave_bridge.core.formats.os_release import read_os_release
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Evidence, Identity
from brave_bridge.machines.queries import Contents, Seen

OS_RELEASE = ("/etc/os-release", "/usr/lib/os-release")
_POINT_RELEASE = ("/etc/debian_version", "/etc/redhat-release", "/etc/arch-release")
_SHELLS = ("/usr/bin/sh", "/bin/sh", "/usr/bin/env")
QUERIES = (
    Contents(OS_RELEASE),
    Contents(("/etc/hostname", "/etc/machine-id", "/var/lib/dpkg/arch", *_POINT_RELEASE), 1024),
    Contents(_SHELLS, 20, cut=True),
)
_MACHINES = {0x3E: "amd64", 0x03: "i386", 0xB7: "arm64", 0x28: "armhf", 0xF3: "riscv64"}


class NoSystem(Exception):
    """No os-release file can be read; the message says why."""


def read(seen: Seen) -> tuple[Identity, Evidence]:
    """Who the machine is; NoSystem where no os-release file can be read."""
    path = next((path for path in OS_RELEASE if path in seen.contents), "")
    if not path:
        faults = [f"{path}: {seen.faults[path]}" for path in OS_RELEASE if path in seen.faults]
        raise NoSystem(
            "; ".join(faults)
            or "neither /etc/os-release nor /usr/lib/os-release is a readable file"
        )
    values = read_os_release(seen.text(path) or "")

    def word(name: str, limit: int = 40) -> str:
        return one_line(values.get(name, ""), limit)

    identity = Identity(
        os_id=word("ID"),
        name=word("PRETTY_NAME", 80) or word("NAME", 80),
        version_id=word("VERSION_ID"),
        codename=word("VERSION_CODENAME"),
        architecture=_architecture(seen),
        hostname=one_line(seen.word("/etc/hostname"), 64),
        edition=word("VARIANT"),
        build=word("BUILD_ID") or word("IMAGE_VERSION"),
        profile=word("IMAGE_ID"),
        support_end=word("SUPPORT_END"),
        like=tuple(word("ID_LIKE", 80).split()),
        machine_id=one_line(seen.word("/etc/machine-id"), 32),
        point_release=next(
            (one_line(seen.word(path), 60) for path in _POINT_RELEASE if seen.word(path)), ""
        ),
    )
    return identity, Evidence("identity", path, identity.name)


def _architecture(seen: Seen) -> str:
    """The package manager's word for it, or what the shell's ELF header says."""
    recorded = seen.word("/var/lib/dpkg/arch")
    if recorded:
        return one_line(recorded.split("\n")[0], 20)
    for path in _SHELLS:
        header = seen.contents.get(path, b"")
        if header[:4] == b"\x7fELF":
            code = int.from_bytes(header[18:20], "little")
            return _MACHINES.get(code, f"elf-{code}")
    return ""
