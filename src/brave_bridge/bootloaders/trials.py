"""Booting something once on a machine: whether that can be, arranging it, ending it."""

from brave_bridge.bootloaders.known import LOADERS, boot_loader, read_loader
from brave_bridge.bootloaders.loader import Once
from brave_bridge.core.boot.entries import BootEntry, Loader, is_ours
from brave_bridge.core.boot.past_entry import is_past
from brave_bridge.core.boot.trial_way import TrialWay
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine, MachineError


def way_of(facts: Facts) -> TrialWay:
    """How something is booted once on that machine; a refusal where nothing does it."""
    return boot_loader(facts.loader).way(facts)


def entry_of(loader: Loader, kernel: str) -> BootEntry | None:
    """The entry that boots a kernel as usual: no recovery entry, the first of several."""
    return next(
        (
            entry
            for entry in loader.entries
            if entry.kernel == kernel
            and "recovery" not in entry.title.lower()
            and not is_ours(entry.id)
        ),
        None,
    )


def arrange(machine: Machine, facts: Facts, kernel: str, name: str) -> tuple[Once, TrialWay]:
    """Have a kernel booted once: what is booted, the good one behind it, and how that is done.

    ``kernel`` is a version, or an entry as its loader names it. MachineError where nothing would
    bring the machine back, or an entry is missing.
    """
    attempted = f"trying kernel {kernel} once"
    way = way_of(facts)
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
    once = Once(chosen, good, name)
    boot_loader(facts.loader).arm(machine, facts, once)
    return once, way


def is_tried(loader: Loader, root: str) -> bool:
    """Whether what is on trial has that subvolume as its root."""
    tried = (one for one in loader.entries if is_ours(one.id) and not is_past(one.id))
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
    place = boot_loader(loader).pin(machine, entry)
    return f"{place} has {kernel} booted from now on"


def end_with_default(machine: Machine, loader: Loader) -> None:
    """Take a trial out, and keep what every other boot took: it may be nobody's own default."""
    default = next((one for one in loader.entries if one.id == loader.default), None)
    end(machine)
    if default is not None and read_loader(machine).default != default.id:
        boot_loader(loader).pin(machine, default)


def end(machine: Machine) -> bool:
    """Take every trial out again, whichever loader has it; whether there was one."""
    had = [loader.disarm(machine) for loader in LOADERS.values()]
    return any(had)
