"""Past systems in a machine's boot menu: which can be offered there, and offering them."""

from collections.abc import Sequence

from brave_bridge.bootloaders import grub, systemd_boot
from brave_bridge.core.boot.entries import BootEntry, Loader
from brave_bridge.core.boot.past_entry import PastSystem, is_past, template_for
from brave_bridge.machines.port import Machine, MachineError

_GRUB, _SYSTEMD_BOOT = "grub", "systemd-boot"


def template_of(loader: Loader, past: PastSystem) -> BootEntry | None:
    """The machine's own entry that a past system's is made after."""
    own = tuple(entry for entry in loader.entries if not is_past(entry.id))
    if loader.kind == _SYSTEMD_BOOT:
        # Its kernels are on the EFI system partition: what is gone there cannot be started.
        return next((e for e in own if e.kernel == past.kernel and e.where), None)
    return template_for(past, own)


def why_not_offered(loader: Loader, past: PastSystem) -> str:
    """Why the menu cannot offer a past system; empty where it can."""
    if loader.kind not in (_GRUB, _SYSTEMD_BOOT):
        return "the boot loader here is none whose menu can be added to (GRUB, systemd-boot)"
    if template_of(loader, past) is None:
        return (
            f"its kernel {past.kernel or '(not told)'} is neither in the boot menu nor in the "
            "root of the system itself"
        )
    return ""


def offer(machine: Machine, loader: Loader, systems: Sequence[PastSystem]) -> str:
    """Have the boot menu offer these past systems and no others; where that stands.

    Those whose kernel is gone are left out. MachineError.
    """
    offered = [
        (past, template) for past in systems if (template := template_of(loader, past)) is not None
    ]
    try:
        if loader.kind == _GRUB:
            return grub.offer_past(machine, offered)
        if loader.kind == _SYSTEMD_BOOT:
            return systemd_boot.offer_past(machine, offered)
    except ValueError as error:
        raise MachineError("offering a past system", machine.name, str(error)) from error
    if offered:
        seen = "its boot loader is none whose menu can be added to"
        raise MachineError("offering a past system", machine.name, seen)
    return ""
