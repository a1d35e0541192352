"""Performing the requests about past systems: subvolumes and boot menu together."""

from brave_bridge.bootloaders import past_systems, trials
from brave_bridge.bootloaders.known import read_loader
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.crossing.replies import Done, Failed, PastOffered, Reply
from brave_bridge.core.crossing.requests import OfferPast
from brave_bridge.core.formats.text import plain
from brave_bridge.families.registry import outline
from brave_bridge.machines.port import Machine
from brave_bridge.snapshots.beside import Beside


def offer_past(machine: Machine, family: str, beside: Beside, request: OfferPast) -> Reply:
    """Make a way back a system to start, and have the boot menu offer it with the others."""
    past = beside.past.make(request.way_back)
    loader = read_loader(machine)
    if why := past_systems.why_not_offered(loader, past):
        beside.past.delete(past.way_back)
        return Failed("offering it in the boot menu", why, "go back by a return")
    where = past_systems.offer(machine, loader, _startable(beside))
    words = _once(machine, family, past) if request.once else ()
    return PastOffered(plain(past.title), where, words)


def _once(machine: Machine, family: str, past: PastSystem) -> tuple[str, ...]:
    """Have a past system started at the next boot alone; what a person has to know of it."""
    once, way = trials.arrange(machine, outline(machine, family), past.entry, "past")
    return (
        f"the next boot starts it, once; every other boot takes {plain(once.good.title)}",
        way.fails,
        way.hangs,
        "restart when you are ready",
    )


def withdraw_past(machine: Machine, beside: Beside, way_back: str) -> Reply:
    """Take a past system out of the menu first, then delete it."""
    loader, others = read_loader(machine), []
    for past in _startable(beside):
        if past.way_back != way_back:
            others.append(past)
        elif trials.is_tried(loader, past.subvolume):
            trials.end_with_default(machine, loader)
    past_systems.offer(machine, loader, others)
    beside.past.delete(way_back)
    return Done("the way back itself is kept")


def keep_past(machine: Machine, beside: Beside) -> Reply:
    """Give the past system that runs its place; the menu is that of its own time then."""
    aside = beside.past.keep()
    trials.end(machine)
    past_systems.offer(machine, read_loader(machine), _startable(beside))
    return Done(aside)


def _startable(beside: Beside) -> list[PastSystem]:
    return list(beside.past.listed())
