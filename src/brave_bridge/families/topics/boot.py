"""How the running system came up, and what could come up next: kernels and boot entries."""

import shlex
from datetime import datetime, timedelta

from brave_bridge.core.formats.proc import seconds_up
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.platform import Boot, Kernel
from brave_bridge.machines.queries import Contents, Names, Seen

_EFI = "/sys/firmware/efi"
_SECURE_BOOT = f"{_EFI}/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"
GRUB_DEFAULTS = "/etc/default/grub"
FIRMWARE_SETTINGS = ("/boot/firmware/config.txt", "/boot/config.txt", "/boot/firmware/cmdline.txt")
QUERIES = (
    Contents(
        (
            "/proc/cmdline",
            "/proc/uptime",
            "/proc/sys/kernel/osrelease",
            "/proc/sys/kernel/random/boot_id",
        ),
        4096,
        cut=True,
    ),
    Contents(
        (
            GRUB_DEFAULTS,
            "/etc/default/grub.d/*.cfg",
            "/etc/kernel/cmdline",
            *FIRMWARE_SETTINGS,
            *(f"{path}.shipped" for path in FIRMWARE_SETTINGS),
        )
    ),
    Contents((_SECURE_BOOT,), 16),
    Names((_EFI, "/boot/*")),
)


def read(seen: Seen, runs: bool, taken_at: str) -> tuple[Boot, Evidence]:
    """How the running system was booted; nothing but the settings for one that does not run."""
    settings = _settings(seen)
    if not runs:
        why = "the system is mounted and does not run"
        return Boot(settings=settings), Evidence("boot", "/proc", "", absent=why)
    command_line = one_line(seen.word("/proc/cmdline"), 2000)
    up = seconds_up(seen.word("/proc/uptime"))
    booted = datetime.fromisoformat(taken_at) - timedelta(seconds=up) if up else None
    secure = seen.contents.get(_SECURE_BOOT, b"")
    boot = Boot(
        kernel=one_line(seen.word("/proc/sys/kernel/osrelease"), 80),
        command_line=command_line,
        settings=settings,
        firmware=_firmware(seen),
        secure_boot=bool(secure[-1]) if secure else None,
        uptime_seconds=up,
        booted_at=booted.isoformat(timespec="seconds") if booted else "",
        id=one_line(seen.word("/proc/sys/kernel/random/boot_id"), 40),
    )
    where = "/proc/cmdline, /proc/sys/kernel/osrelease, /sys/firmware"
    if not boot.kernel:
        return boot, Evidence("boot", where, "", absent="/proc says nothing: a container")
    return boot, Evidence("boot", where, f"{boot.kernel}, {boot.firmware or 'firmware not known'}")


def _firmware(seen: Seen) -> str:
    if _EFI in seen.found:
        return "efi"
    return "bios" if seen.word("/proc/cmdline") else ""


def _settings(seen: Seen) -> str:
    """The kernel parameters that the boot loader's own files ask for."""
    plain = seen.word("/etc/kernel/cmdline") or seen.word("/boot/firmware/cmdline.txt")
    if plain:
        return one_line(plain, 2000)
    values: dict[str, str] = {}
    for path in (GRUB_DEFAULTS, *(p for p, _ in seen.texts("/etc/default/grub.d/*.cfg"))):
        for line in (seen.text(path) or "").splitlines():
            name, equals, value = line.strip().partition("=")
            if equals and name in ("GRUB_CMDLINE_LINUX", "GRUB_CMDLINE_LINUX_DEFAULT"):
                values[name] = _unquoted(value)
    return one_line(" ".join(value for value in values.values() if value), 2000)


def _unquoted(value: str) -> str:
    try:
        return " ".join(shlex.split(value))
    except ValueError:
        return ""


def changed_settings(seen: Seen) -> tuple[str, ...]:
    """The boot firmware's settings files that differ from the copy that came with them."""
    return tuple(
        path
        for path in FIRMWARE_SETTINGS
        if path in seen.contents
        and seen.contents.get(f"{path}.shipped", seen.contents[path]) != seen.contents[path]
    )


def kernels(seen: Seen, running: str) -> tuple[tuple[Kernel, ...], Evidence]:
    """The kernel images in /boot, by path."""
    files = {found.path: found for found in seen.paths("/boot/*") if found.kind == "file"}
    images = []
    for path, found in files.items():
        prefix = "/boot/vmlinuz-"
        if not path.startswith(prefix):
            continue
        version = path.removeprefix(prefix)
        together = sum(f.size for p, f in files.items() if p.endswith(f"-{version}"))
        images.append(Kernel(version, path, found.size, version == running, together))
    return tuple(images), Evidence("kernels", "/boot", f"{len(images)} images")
