"""Past systems in a machine's boot menu: which can be offered there, and offering them."""

from collections.abc import Sequence

from brave_bridge.bootloaders.known import LOADERS, boot_loader
from brave_bridge.core.boot.entries import BootEntry, Loader
from brave_bridge.core.boot.past_entry import PastSystem, is_past
from brave_bridge.machines.port import Machine, MachineError


def template_of(loader: Loader, past: PastSystem) -> BootEntry | None:
    """The machine's own entry that a past system's is made after."""
    own = tuple(entry for entry in loader.entries if not is_past(entry.id))
    return boot_loader(loader).template_of(own, past)


def why_not_offered(loader: Loader, past: PastSystem) -> str:
    """Why the menu cannot offer a past system; empty where it can."""
    if not boot_loader(loader).offers_past:
        names = ", ".join(one.called for one in LOADERS.values() if one.offers_past)
        return f"the boot loader here is none whose menu can be added to ({names})"
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
        return boot_loader(loader).offer_past(machine, offered)
    except ValueError as error:
        raise MachineError("offering a past system", machine.name, str(error)) from error
