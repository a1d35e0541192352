"""Which distribution a machine has, by its own files, on any family."""

from brave_bridge.core.formats.os_release import read_os_release
from brave_bridge.core.formats.text import decoded, one_line
from brave_bridge.core.survey.facts import Evidence, Identity
from brave_bridge.machines.port import Machine, MachineError

_OS_RELEASE = ("/etc/os-release", "/usr/lib/os-release")
_LIMIT = 64 * 1024


def read_identity(machine: Machine) -> tuple[Identity, Evidence]:
    """Who the machine is; MachineError where no os-release file can be read."""
    for path in _OS_RELEASE:
        content = machine.read_if_there(path, _LIMIT)
        if content is not None:
            break
    else:
        raise MachineError(
            "identifying the system",
            machine.name,
            "neither /etc/os-release nor /usr/lib/os-release is a readable file",
            "check that this is the root of a system",
        )
    values = read_os_release(decoded(content))
    identity = Identity(
        os_id=one_line(values.get("ID", ""), 40),
        name=one_line(values.get("PRETTY_NAME", values.get("NAME", "")), 80),
        version_id=one_line(values.get("VERSION_ID", ""), 40),
        codename=one_line(values.get("VERSION_CODENAME", ""), 40),
        architecture=_architecture(machine),
        hostname=one_line(decoded(machine.read_if_there("/etc/hostname", 1024) or b""), 64),
        edition=one_line(values.get("VARIANT", ""), 40),
    )
    return identity, Evidence("identity", path, identity.name)


_MACHINES = {0x3E: "amd64", 0x03: "i386", 0xB7: "arm64", 0x28: "armhf", 0xF3: "riscv64"}


def _architecture(machine: Machine) -> str:
    """The package manager's word for it, or what the shell's ELF header says."""
    recorded = machine.read_if_there("/var/lib/dpkg/arch", 1024)
    if recorded:
        return one_line(decoded(recorded).split("\n")[0], 20)
    for path in ("/usr/bin/sh", "/bin/sh", "/usr/bin/env"):
        if machine.is_file(path):
            try:
                header = machine.read(path, 64 * 1024 * 1024)[:20]
            except MachineError:
                continue
            if header[:4] == b"\x7fELF":
                code = int.from_bytes(header[18:20], "little")
                return _MACHINES.get(code, f"elf-{code}")
    return ""
