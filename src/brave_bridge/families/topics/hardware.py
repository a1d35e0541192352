"""Processor, memory, power, security chip, devices and modules from outside the kernel."""

from brave_bridge.core.formats.proc import memory_bytes, read_fields, read_modules
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.platform import Device, Hardware, Module, Power
from brave_bridge.core.survey.processor import level_of
from brave_bridge.machines.queries import Contents, Links, Names, Seen

_SUPPLY = "/sys/class/power_supply"
_BUSES = ("pci", "usb")
QUERIES = (
    Contents(("/proc/cpuinfo", "/proc/meminfo"), 16 * 1024, cut=True),
    Contents(("/proc/modules",), 256 * 1024),
    Contents(
        (
            f"{_SUPPLY}/*/type",
            f"{_SUPPLY}/*/online",
            f"{_SUPPLY}/*/status",
            f"{_SUPPLY}/*/capacity",
            f"{_SUPPLY}/*/scope",
        ),
        64,
    ),
    Contents(
        (
            "/sys/class/tpm/*/tpm_version_major",
            "/sys/class/dmi/id/product_name",
            "/proc/device-tree/model",
        ),
        256,
        cut=True,
    ),
    Contents(tuple(f"/sys/bus/{bus}/devices/*/modalias" for bus in _BUSES), 512, cut=True),
    Links(tuple(f"/sys/bus/{bus}/devices/*/driver" for bus in _BUSES)),
    Names(("/var/lib/dkms/*/*/source", "/var/lib/dkms/*/*/*/*/module")),
)


def read(seen: Seen, architecture: str, runs: bool) -> tuple[Hardware, list[Evidence]]:
    """What the machine is made of. A tree's machine is not there to be looked at."""
    modules = _rebuilt(seen)
    if not runs:
        why = "the system is mounted and does not run; its machine may be another one"
        return Hardware(modules=modules), [
            Evidence(topic, "/proc, /sys", "", absent=why) for topic in ("hardware", "power")
        ]
    fields = read_fields(seen.text("/proc/cpuinfo") or "")
    flags = frozenset((fields.get("flags") or fields.get("Features") or "").split())
    power, power_seen = _power(seen)
    chips = [f"version {one_line(text, 8)}" for _, text in seen.texts("/sys/class/tpm/*/*")]
    hardware = Hardware(
        processor=one_line(fields.get("model name") or fields.get("Model") or "", 80),
        processors=(seen.text("/proc/cpuinfo") or "").count("processor\t"),
        flags=flags,
        level=level_of(architecture, flags),
        memory_bytes=memory_bytes(seen.text("/proc/meminfo") or ""),
        security_chip=chips[0] if chips else "",
        model=one_line(
            seen.word("/sys/class/dmi/id/product_name") or seen.word("/proc/device-tree/model"), 80
        ),
        power=power,
        devices=tuple(_devices(seen)),
        modules=(*modules, *_loaded(seen, {module.name for module in modules})),
    )
    where = "/proc/cpuinfo, /proc/meminfo, /sys/class, /sys/bus"
    absent = "" if flags or hardware.memory_bytes else "neither processor nor memory is told of"
    words = f"{hardware.level or 'level not known'}, {hardware.memory_bytes >> 20} MiB"
    return hardware, [Evidence("hardware", where, words, absent=absent), power_seen]


def _power(seen: Seen) -> tuple[Power, Evidence]:
    """Mains or battery (the kernel's power supply class); a peripheral's battery is not ours."""
    online, discharging, percent = None, False, None
    for path, kind in seen.texts(f"{_SUPPLY}/*/type"):
        folder = path.removesuffix("/type")
        if seen.word(f"{folder}/scope") == "Device":
            continue
        if kind.strip() in ("Mains", "USB"):
            online = online or seen.word(f"{folder}/online") == "1"
        elif kind.strip() in ("Battery", "UPS"):
            discharging = discharging or seen.word(f"{folder}/status") == "Discharging"
            capacity = seen.word(f"{folder}/capacity")
            percent = int(capacity) if capacity.isdigit() else percent
    if online is None and percent is None and not discharging:
        why = "no power supply reports itself: a machine on mains, or a guest"
        return Power(), Evidence("power", _SUPPLY, "", absent=why)
    on_battery = discharging if online is None else not online
    words = f"{'battery' if on_battery else 'mains'}" + (f", {percent} %" if percent else "")
    return Power(on_battery, percent), Evidence("power", _SUPPLY, words)


def _devices(seen: Seen):
    for bus in _BUSES:
        for path, text in seen.texts(f"/sys/bus/{bus}/devices/*/modalias"):
            folder = path.removesuffix("/modalias")
            driver = seen.links.get(f"{folder}/driver", "").rpartition("/")[2]
            yield Device(folder.rpartition("/")[2], one_line(text, 120), one_line(driver, 40))


def _rebuilt(seen: Seen) -> tuple[Module, ...]:
    """The modules that dkms(8) builds anew for each kernel: /var/lib/dkms/NAME/VERSION."""
    found = []
    for entry in seen.paths("/var/lib/dkms/*/*/source"):
        name, version = entry.path.split("/")[4:6]
        built = seen.paths(f"/var/lib/dkms/{name}/{version}/*/*/module")
        kernels = tuple(dict.fromkeys(one_line(one.path.split("/")[6], 80) for one in built))
        found.append(Module(one_line(name, 60), "dkms", one_line(version, 40), kernels))
    return tuple(found)


def _loaded(seen: Seen, known: set[str]):
    """Loaded modules that the kernel marks as out of tree (O) or proprietary (P)."""
    for name, taint in read_modules(seen.text("/proc/modules") or ""):
        if {"O", "P"} & set(taint) and not {name, name.replace("_", "-")} & known:
            yield Module(one_line(name, 60), "loaded")
