"""Booting something once on a machine: whether that can be, arranging it, ending it."""

from brave_bridge.bootloaders import extlinux, grub, systemd_boot
from brave_bridge.bootloaders.reading import read_loader
from brave_bridge.core.boot.counted_trial import is_ours
from brave_bridge.core.boot.entries import BootEntry, Loader
from brave_bridge.core.boot.grub_trial import TRIAL_ID
from brave_bridge.core.boot.past_entry import is_past
from brave_bridge.core.boot.trial_way import (
    COUNTED,
    EXTLINUX_DATA,
    GRUB_ON_ESP,
    Ground,
    TrialWay,
    trial_way,
)
from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine, MachineError


def ground_of(facts: Facts) -> Ground:
    """What a trial would stand on here."""
    folder = next((f for f in grub.FOLDERS if facts.loader.remembers.startswith(f)), "")
    esp = next((m for p in grub.ESPS if (m := _mounted_at(facts, p)) and m.type == "vfat"), None)
    return Ground(
        loader=facts.loader,
        block=_mount_of(facts, folder) if folder else None,
        esp=esp,
        esp_uuid=_uuid_of(facts, esp.path) if esp else "",
    )


def _uuid_of(facts: Facts, path: str) -> str:
    """The UUID by which fstab(5) names what is mounted there; empty where it does otherwise."""
    named = (one.device for one in facts.expected_mounts if one.path == path)
    found = next((device for device in named if device.startswith("UUID=")), "")
    return found.removeprefix("UUID=").strip('"')


def _mount_of(facts: Facts, path: str) -> Mount | None:
    """The file system that holds a path: as it is mounted, else as fstab(5) has it."""
    mounts = facts.mounts or tuple(
        Mount(one.path, one.device, one.type) for one in facts.expected_mounts
    )
    fitting = [m for m in mounts if m.path == "/" or f"{path}/".startswith(f"{m.path}/")]
    return max(fitting, key=lambda mount: len(mount.path), default=None)


def _mounted_at(facts: Facts, path: str) -> Mount | None:
    found = _mount_of(facts, path)
    return found if found is not None and found.path == path else None


def entry_of(loader: Loader, kernel: str) -> BootEntry | None:
    """The entry that boots a kernel as usual: no recovery entry, the first of several."""
    fitting = [entry for entry in loader.entries if entry.kernel == kernel]
    plain = [
        entry
        for entry in fitting
        if "recovery" not in entry.title.lower()
        and not is_ours(entry.id)
        and entry.id != TRIAL_ID
        and not is_past(entry.id)
    ]
    return next(iter(plain), None)


def arrange(
    machine: Machine, facts: Facts, kernel: str, name: str
) -> tuple[BootEntry, BootEntry, TrialWay]:
    """Have a kernel booted once: its entry, the good one behind it, and the way it is done.

    ``kernel`` is a version, or an entry as its loader names it. MachineError where nothing would
    bring the machine back, or an entry is missing.
    """
    attempted = f"trying kernel {kernel} once"
    ground = ground_of(facts)
    way = trial_way(ground)
    if way.refusal:
        raise MachineError(attempted, machine.name, way.refusal, "; ".join(way.instead))
    running = facts.kernel_that_came_up
    by_id = next((one for one in facts.loader.entries if one.id == kernel), None)
    chosen, good = by_id or entry_of(facts.loader, kernel), entry_of(facts.loader, running)
    if by_id is not None:
        # What is tried is another system: behind it is what boots by itself now.
        default = facts.loader.default
        good = next((one for one in facts.loader.entries if one.id == default), good)
    if chosen is None or good is None:
        missing = kernel if chosen is None else (running or "the kernel that runs now")
        raise MachineError(attempted, machine.name, f"no entry of the boot menu starts {missing}")
    if way.mechanism == COUNTED:
        systemd_boot.arm(machine, chosen, good, name)
        return chosen, good, way
    if way.mechanism == EXTLINUX_DATA:
        extlinux.arm(machine, facts.loader.tool, chosen, good, name)
        return chosen, good, way
    place = grub.BLOCK
    if way.mechanism == GRUB_ON_ESP and ground.esp:
        place = grub.MarkPlace(f"{ground.esp.path}{grub.ON_ESP}", ground.esp_uuid)
    grub.arm(machine, chosen.id, good.id, name, place)
    return chosen, good, way


def is_tried(loader: Loader, root: str) -> bool:
    """Whether what is on trial has that subvolume as its root."""
    tried = (one for one in loader.entries if one.id == TRIAL_ID or is_ours(one.id))
    return any(f"subvol={root}" in entry.option("rootflags").split(",") for entry in tried)


def make_default(machine: Machine, kernel: str) -> str:
    """Have a kernel booted from now on; what was done for that, in a sentence.

    MachineError where no entry starts it.
    """
    loader = read_loader(machine)
    default = next((one for one in loader.entries if one.id == loader.default), None)
    if default is not None and default.kernel == kernel:
        return f"{kernel} is what the loader boots by its own default"
    entry = entry_of(loader, kernel)
    if entry is None:
        seen = f"no entry of the boot menu starts {kernel}"
        raise MachineError(f"making {kernel} the default", machine.name, seen)
    place = _pin(machine, loader, entry)
    return f"{place} has {kernel} booted from now on"


def end_with_default(machine: Machine, loader: Loader) -> None:
    """Take a trial out, and keep what every other boot took: it may be nobody's own default."""
    default = next((one for one in loader.entries if one.id == loader.default), None)
    end(machine)
    if default is not None and read_loader(machine).default != default.id:
        _pin(machine, loader, default)


def _pin(machine: Machine, loader: Loader, entry: BootEntry) -> str:
    """Have an entry booted from now on; the file that says so."""
    if loader.kind == "systemd-boot":
        return systemd_boot.pin(machine, entry)
    if loader.kind == "extlinux":
        return extlinux.pin(machine, entry)
    return grub.pin(machine, entry.id)


def end(machine: Machine) -> bool:
    """Take every trial out again; whether there was one."""
    marks = tuple(f"{path}{grub.ON_ESP}" for path in grub.ESPS)
    had = systemd_boot.disarm(machine), grub.disarm(machine, marks), extlinux.disarm(machine)
    return any(had)
