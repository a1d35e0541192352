"""How the running system came up, and what could come up next: kernels and boot entries."""

from collections.abc import Iterator
from datetime import datetime, timedelta
from fnmatch import fnmatchcase

from brave_bridge.bootloaders.settings import options_asked_for
from brave_bridge.core.boot.efi_variables import GUID, read_boot_variables
from brave_bridge.core.formats.boot_account import ACCOUNT, LARGEST, read_account
from brave_bridge.core.formats.kernel_path import MODULE_FOLDERS
from brave_bridge.core.formats.linux_image import HEAD_BYTES, version_in
from brave_bridge.core.formats.pe_image import is_signed
from brave_bridge.core.formats.proc import (
    BOOT_ID,
    FIRST_PROCESS,
    boot_mark,
    process_name,
    seconds_since_boot,
)
from brave_bridge.core.formats.text import iso_time, one_line
from brave_bridge.core.formats.wtmp import read_boots
from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.platform import PAST_MARK, Boot, FirmwareOption, Kernel, LastBoot
from brave_bridge.machines.queries import Contents, Found, Names, Seen

_EFI = "/sys/firmware/efi"
_SECURE_BOOT = f"{_EFI}/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"
_WTMP, _WTMP_LIMIT = "/var/log/wtmp", 20_000_000
_RUNNING = Contents(
    (
        "/proc/cmdline",
        "/proc/uptime",
        "/proc/sys/kernel/osrelease",
        BOOT_ID,
        FIRST_PROCESS,
    ),
    4096,
    cut=True,
)
_LAST = (Contents((ACCOUNT,), LARGEST), Contents((_WTMP,), _WTMP_LIMIT))
_IMAGES = ("/boot/vmlinuz*", "/boot/vmlinux-*", "/boot/kernel-*", "/boot/bzImage*")
_MODULE_LIST = "modules.dep"
QUERIES = (
    _RUNNING,
    Contents((_SECURE_BOOT,), 16),
    Contents((f"{_EFI}/efivars/Boot*-{GUID}",), 4096),
    *_LAST,
    Names((_EFI, "/boot/*", *(f"{folder}/*/{_MODULE_LIST}" for folder in MODULE_FOLDERS))),
    Contents((PAST_MARK,), 200, cut=True),
    Contents(_IMAGES, HEAD_BYTES, cut=True),
)


MARK_QUERIES = (_RUNNING, *_LAST)
"""What tells which boot this is, or which was the newest."""


def mark_of(seen: Seen, runs: bool) -> str:
    """What is another after the next boot; empty where nothing tells of any."""
    if not runs:
        return last_boot(seen, runs).mark
    return boot_mark(one_line(seen.word(BOOT_ID), 40), seen.word(FIRST_PROCESS))


def read(seen: Seen, runs: bool, taken_at: str) -> tuple[Boot, Evidence]:
    """How the running system was booted; nothing but the settings for one that does not run."""
    settings, past = options_asked_for(seen), one_line(seen.word(PAST_MARK), 80)
    if not runs:
        why = "the system is mounted and does not run"
        return Boot(settings=settings, past=past), Evidence("boot", "/proc", "", absent=why)
    command_line = one_line(seen.word("/proc/cmdline"), 2000)
    up = seconds_since_boot(seen.word("/proc/uptime"), seen.word(FIRST_PROCESS))
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
        id=mark_of(seen, runs),
        options=tuple(_firmware_options(seen)),
        first_process=one_line(process_name(seen.word(FIRST_PROCESS)), 40),
        past=past,
    )
    where = "/proc/cmdline, /proc/sys/kernel/osrelease, /sys/firmware"
    if not boot.kernel:
        return boot, Evidence("boot", where, "", absent="/proc says nothing: a container")
    return boot, Evidence("boot", where, f"{boot.kernel}, {boot.firmware or 'firmware not known'}")


def last_boot(seen: Seen, runs: bool) -> LastBoot:
    """The newest boot that a system which does not run wrote down itself: its account, or wtmp."""
    if runs:
        return LastBoot()
    account = read_account(seen.contents.get(ACCOUNT, b""))
    if account is not None:
        return LastBoot(
            mark=one_line(f"{account.boot_id}+{account.began}", 80),
            kernel=one_line(account.kernel, 80),
            at=one_line(account.at, 40),
            release=one_line(account.release, 40),
            failed=tuple(one_line(name, 80) for name in account.failed_units),
            rescue=account.rescue == "yes",
            where=ACCOUNT,
        )
    boots = list(read_boots(seen.contents.get(_WTMP, b"")))
    if not boots:
        return LastBoot()
    newest = max(boots, key=lambda boot: boot.seconds)
    return LastBoot(
        mark=f"wtmp {newest.seconds}",
        kernel=one_line(newest.kernel, 80),
        at=iso_time(newest.seconds),
        where=_WTMP,
    )


def _firmware_options(seen: Seen) -> Iterator[FirmwareOption]:
    """What the firmware can start, in its order; what it does not try comes last."""
    files = {
        path.rpartition("/")[2]: content
        for path, content in seen.contents.items()
        if path.startswith(f"{_EFI}/efivars/Boot")
    }
    known = read_boot_variables(files)
    places = {number: place for place, number in enumerate(known.order, start=1)}
    found = [
        FirmwareOption(
            number=option.number,
            title=one_line(option.title, 80),
            file=one_line(option.file, 120),
            place=places.get(option.number, 0) if option.is_active else 0,
            next=option.number == known.next,
            current=option.number == known.current,
        )
        for option in known.options
    ]
    yield from sorted(found, key=lambda option: (not option.place, option.place, option.number))


def _firmware(seen: Seen) -> str:
    if _EFI in seen.found:
        return "efi"
    return "bios" if seen.word("/proc/cmdline") else ""


def _is_of(path: str, named: str) -> bool:
    """Whether a file in /boot goes with a kernel of that name, as its initial file system does."""
    return path.endswith((f"-{named}", f"-{named}.img"))


def _is_image(path: str) -> bool:
    return any(fnmatchcase(path, pattern) for pattern in _IMAGES)


def _version_of(path: str, head: bytes) -> str:
    """A kernel's version by its name; where that is none, by what the image says of itself."""
    named = path.rpartition("/")[2].partition("-")[2]
    return named if series_of(named) else one_line(version_in(head), 80) or named


def _initrd_among(together: list[Found]) -> str:
    """The initial file system among the files of a kernel; an empty one is none."""
    of_it = (f.path for f in together if f.path.rpartition("/")[2].startswith("init") and f.size)
    return next(of_it, "")


def kernels(seen: Seen, running: str) -> tuple[tuple[Kernel, ...], Evidence]:
    """The kernel images in /boot, by path."""
    files = {found.path: found for found in seen.paths("/boot/*") if found.kind == "file"}
    images = []
    for path, found in files.items():
        head = seen.contents.get(path, b"")
        version = _version_of(path, head) if _is_image(path) else ""
        if not version:
            continue
        named = path.rpartition("/")[2].partition("-")[2] or version
        together = [found, *(f for p, f in files.items() if p != path and _is_of(p, named))]
        size = sum(file.size for file in together)
        when = iso_time(max(file.modified for file in together))
        signed = is_signed(head)
        images.append(
            Kernel(
                version=version,
                path=path,
                size_bytes=found.size,
                running=version == running,
                boot_bytes=size,
                installed_at=when,
                signed=signed,
                initrd=_initrd_among(together),
                modules=any(
                    f"{folder}/{version}/{_MODULE_LIST}" in seen.found for folder in MODULE_FOLDERS
                ),
            )
        )
    return tuple(images), Evidence("kernels", "/boot", f"{len(images)} images")
