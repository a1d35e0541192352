"""What goes on on a stand-in: what a running kernel and its services would tell.

The part that a kernel shows as files (/proc, /sys) is written into the stand-in's tree in
the kernel's own formats; the rest is kept in a file of the state folder and answered by
``answers.py``.
"""

import os
import time
import uuid
from pathlib import Path

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.survey.knock import SILENT, SPEAKS, TAKES
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.queries import Knocks
from brave_bridge.machines.standin import boot_menu, efi, image_slots, licensed_system

LIVE = f"{STATE_FOLDER}/stand-in-live.json"
_BEFORE_ITS_BOOT = 86_400
_LARGEST = 4_000_000
_SPEAKING = (21, 22, 25, 110, 143, 3306)
"""Ports of protocols in which the server has the first word."""
_RESTART = ("run/reboot-required", "run/reboot-required.pkgs")


class LiveUnit(msgspec.Struct):
    """A unit: ``active``, ``failed`` or ``inactive``."""

    name: str
    about: str
    active: str = "active"


_EMERGENCY_UNIT = LiveUnit("emergency.service", "Emergency Shell")


class LiveSession(msgspec.Struct):
    """Somebody who is logged in."""

    user: str
    type: str = "tty"
    terminal: str = "tty1"
    host: str = ""


class LiveGuest(msgspec.Struct):
    """A guest of the manager ``libvirt``, ``machined``, ``podman`` or ``docker``."""

    name: str
    manager: str = "libvirt"
    running: bool = True
    stubborn: bool = False
    """Whether it does not react when it is asked to shut down."""
    broken: bool = False
    """Whether it cannot be started."""


class LiveRoom(msgspec.Struct):
    """The size of a file system and what is free on it, in MiB; inodes in thousands."""

    mib: int
    free_mib: int
    kilo_inodes: int = 1000
    free_kilo_inodes: int = 900


class LiveDevice(msgspec.Struct):
    """A device on a bus; no driver where the kernel knows none for it."""

    path: str
    modalias: str
    driver: str = ""
    bus: str = "usb"


class Live(msgspec.Struct):
    """The machine as it runs. Times in seconds."""

    kernel: str = ""
    command_line: str = ""
    firmware: str = "efi"
    firmware_starts: list[str] = []
    """What an EFI firmware can start, in its order: ``title|file``."""
    model: str = ""
    processor: str = "Northlight NL-200"
    processors: int = 4
    flags: str = ""
    features: str = ""
    memory_mib: int = 8192
    security_chip: bool = True
    on_battery: bool | None = None
    battery_percent: int | None = None
    uptime: int = 1_000_000
    boot_id: str = ""
    units: list[LiveUnit] = []
    enabled: list[str] = []
    tcp: list[int] = []
    udp: list[int] = []
    silent: list[int] = []
    """TCP ports at which somebody listens and nobody answers."""
    refuses: dict[str, str] = {}
    """Programs that do not accept their settings, with what they say."""
    slow: dict[str, float] = {}
    """Seconds until it answers, by how a command begins or by port (``tcp 22``)."""
    sessions: list[LiveSession] = []
    guests: list[LiveGuest] = []
    managers: list[str] = []
    modules: list[str] = []
    """Loaded modules from outside the kernel."""
    modules_in_use: list[str] = []
    """Loaded modules of the kernel's own."""
    rebuilt_modules: list[str] = []
    broken_modules: list[str] = []
    """Those of them that build for no other kernel than the one that they were built for."""
    devices: list[LiveDevice] = []
    mounts: list[str] = msgspec.field(default_factory=lambda: ["/dev/sda2 / ext4 rw,relatime 0 0"])
    rooms: dict[str, LiveRoom] = {}
    disks: dict[str, int] = msgspec.field(default_factory=lambda: {"sda": 256})
    """Disk to its size in GiB."""
    failing_disks: list[str] = []
    """Disks that say of themselves that they fail."""
    synchronised: bool = True
    zone: str = "Etc/UTC"
    stale: dict[str, str] = {}
    """Program to the deleted library that it still uses."""
    programs: dict[str, str] = {}
    """Which program listens at a port, by ``tcp 22``."""
    addresses: dict[str, str] = msgspec.field(default_factory=lambda: {"192.0.2.10/24": "eth0"})
    """Address to the link that has it."""
    gateway: str = "192.0.2.1"
    rules: int = 0
    """Rules of its firewall; 0 where it has none."""
    policy: str = "drop"
    """What the firewall does with what no rule names."""
    pools: dict[str, str] = {}
    """Storage pool to its health."""
    troubles: list[str] = []
    """What goes wrong at the next boots, one each; see ``restart``."""
    boots: int = 0


V3_FLAGS = (
    "fpu cx8 sep cmov mmx fxsr sse sse2 syscall lm pni ssse3 cx16 sse4_1 sse4_2 movbe popcnt "
    "xsave avx f16c lahf_lm abm bmi1 avx2 bmi2 fma"
)


def load(root: Path) -> Live | None:
    """What goes on on the stand-in under a folder; None where nothing is described.

    MachineError where the description makes no sense, OSError where it cannot be read.
    """
    content = Beneath(root, LIVE.lstrip("/"), ours=True).read_if_there(_LARGEST)
    if content is None:
        return None
    try:
        return decode_json(content, Live)
    except msgspec.DecodeError as error:
        raise MachineError("reading what goes on", root.name, f"{LIVE}: {error}") from error


def save(root: Path, live: Live) -> None:
    """Write what goes on, in one step."""
    Beneath(root, LIVE.lstrip("/"), ours=True).write(msgspec.json.encode(live))


def boot(root: Path, live: Live) -> None:
    """Let the stand-in come up: what its loader chooses runs, /proc and /sys tell of it."""
    if not live.kernel:
        live.kernel = boot_menu.started(root)
    for name in _RESTART:
        (root / name).unlink(missing_ok=True)
    if not live.boots:
        _make_older(root, time.time() - live.uptime - _BEFORE_ITS_BOOT)
    live.boot_id, live.boots = str(uuid.uuid4()), live.boots + 1
    save(root, live)
    write_kernel_files(root, live)


def _make_older(root: Path, seconds: float) -> None:
    """Packages and kernels that a stand-in is built with were there before it was started."""
    for pattern in ("var/lib/dpkg/info/*.list", "boot/*"):
        for place in root.glob(pattern):
            if place.is_file() and not place.is_symlink():
                os.utime(place, (seconds, seconds))


OLD_KERNEL, EMERGENCY, HANGS = "old kernel", "emergency", "hangs"
"""What may go wrong at a boot; ``fails: UNIT`` is a service that does not come up."""


def restart(root: Path) -> None:
    """Shut down and come up again: what the loader chooses, nothing stale, no restart pending.

    A trouble that waits has its way once: what is tried first does not come up and the kernel of
    before does, the system comes up in its emergency state, or it does not restart at all.
    """
    live = load(root)
    if live is None:
        return
    trouble = live.troubles.pop(0) if live.troubles else ""
    if trouble == HANGS:
        save(root, live)
        return
    before = live.kernel
    for place in (root / "proc").glob("[0-9]*"):
        for file in place.iterdir():
            file.unlink()
        place.rmdir()
    live.kernel, live.uptime, live.stale = "", 30, {}
    image_slots.come_up(root, wrong=trouble == OLD_KERNEL)
    licensed_system.come_up(root, wrong=trouble == OLD_KERNEL)
    if trouble == OLD_KERNEL:
        boot_menu.started(root)
        live.kernel = before
    live.units = [unit for unit in live.units if unit.name != _EMERGENCY_UNIT.name]
    if trouble == EMERGENCY:
        live.units.append(_EMERGENCY_UNIT)
    for unit in live.units:
        if f"fails: {unit.name}" == trouble:
            unit.active = "failed"
    boot(root, live)


def knocked(live: Live, query: Knocks) -> dict[str, str]:
    """What whoever connects to its ports meets, as long as they wait."""
    met = {f"tcp {port}": SPEAKS if port in _SPEAKING else TAKES for port in live.tcp}
    met |= {f"tcp {port}": SILENT for port in live.silent if port in live.tcp}
    for name, needs in live.slow.items():
        waited = query.seconds + (query.more_seconds if query.before.get(name) == SPEAKS else 0)
        if met.get(name) == SPEAKS and needs > waited:
            met[name] = TAKES
    return met


def write_kernel_files(root: Path, live: Live) -> None:
    """Write what the kernel would show of the machine."""
    flags = live.flags or ("" if live.features else V3_FLAGS)
    line = f"flags\t\t: {flags}" if flags else f"Features\t: {live.features}"
    cpu = f"processor\t: 0\nmodel name\t: {live.processor}\n{line}\n\n"
    _write(root, "proc/cpuinfo", cpu * live.processors)
    _write(root, "proc/meminfo", f"MemTotal:       {live.memory_mib * 1024} kB\n")
    _write(root, "proc/cmdline", live.command_line or f"root=/dev/sda2 ro kernel={live.kernel}")
    _write(root, "proc/uptime", f"{live.uptime}.00 {live.uptime}.00\n")
    _write(root, "proc/sys/kernel/osrelease", live.kernel + "\n")
    _write(root, "proc/self/mounts", "\n".join(live.mounts) + "\n")
    own = "".join(f"{name} 16384 0 - Live 0x0\n" for name in live.modules_in_use)
    foreign = "".join(f"{name} 16384 0 - Live 0x0 (OE)\n" for name in live.modules)
    _write(root, "proc/modules", own + foreign)
    _write(root, "proc/net/tcp", _listening(live.tcp, "0A"))
    _write(root, "proc/net/udp", _listening(live.udp, "07"))
    for number, (program, library) in enumerate(sorted(live.stale.items()), start=801):
        mapped = f"7f00-7f01 r-xp 0 08:02 77 {library} (deleted)\n"
        _write(root, f"proc/{number}/maps", mapped)
        _write(root, f"proc/{number}/comm", program + "\n")
    _write_sys(root, live)
    # Last of all: whoever waits for another boot finds it whole.
    _write(root, "proc/sys/kernel/random/boot_id", live.boot_id + "\n")


def _write_sys(root: Path, live: Live) -> None:
    if live.firmware == "efi":
        (root / "sys/firmware/efi").mkdir(parents=True, exist_ok=True)
        efi.write_variables(root, live.firmware_starts)
    if live.model:
        _write(root, "sys/class/dmi/id/product_name", live.model + "\n")
    if live.security_chip:
        _write(root, "sys/class/tpm/tpm0/tpm_version_major", "2\n")
    if live.on_battery is not None:
        supply = "sys/class/power_supply"
        _write(root, f"{supply}/AC/type", "Mains\n")
        _write(root, f"{supply}/AC/online", "0\n" if live.on_battery else "1\n")
        _write(root, f"{supply}/BAT0/type", "Battery\n")
        _write(root, f"{supply}/BAT0/capacity", f"{live.battery_percent or 80}\n")
        state = "Discharging" if live.on_battery else "Charging"
        _write(root, f"{supply}/BAT0/status", state + "\n")
    for name, gib in live.disks.items():
        _write(root, f"sys/block/{name}/size", f"{gib << 21}\n")
        _write(root, f"sys/block/{name}/queue/rotational", "0\n")
        _write(root, f"sys/block/{name}/device/state", "running\n")
    for device in live.devices:
        folder = f"sys/bus/{device.bus}/devices/{device.path}"
        _write(root, f"{folder}/modalias", device.modalias + "\n")
        if device.driver:
            link = root / folder / "driver"
            link.unlink(missing_ok=True)
            link.symlink_to(f"../../drivers/{device.driver}")
    for module in live.rebuilt_modules:
        name, _, version = module.partition("/")
        _write(root, f"var/lib/dkms/{name}/{version}/source/dkms.conf", f'PACKAGE_NAME="{name}"\n')
        _build_module(root, module, live.kernel)


def _build_module(root: Path, module: str, kernel: str) -> None:
    name, _, version = module.partition("/")
    _write(root, f"var/lib/dkms/{name}/{version}/{kernel}/x86_64/module/{name}.ko", "")


def rebuild_modules(root: Path, kernel: str) -> int:
    """``dkms autoinstall -k KERNEL``; exit code 11 where one does not build (dkms(8))."""
    live = load(root) or Live()
    failed = [module for module in live.rebuilt_modules if module in live.broken_modules]
    for module in live.rebuilt_modules:
        if module in failed:
            print(f"Error! Bad return status for module build on kernel: {kernel} ({module})")
        else:
            _build_module(root, module, kernel)
    return 11 if failed else 0


def _listening(ports: list[int], state: str) -> str:
    rows = [
        f"   {n}: 00000000:{port:04X} 00000000:0000 {state} 0:0 0:0 0 0 0 {n}\n"
        for n, port in enumerate(ports)
    ]
    return "  sl  local_address rem_address   st\n" + "".join(rows)


def _write(root: Path, path: str, text: str) -> None:
    place = root / path
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(text, encoding="utf-8")
