"""Kernels and boot of a machine: what boots next, and booting another kernel once."""

from collections.abc import Sequence

import msgspec

from brave_bridge.bootloaders.trials import entry_of, ground_of
from brave_bridge.core.boot.chain import Link, boot_chain
from brave_bridge.core.boot.trial_way import TrialWay, trial_way
from brave_bridge.core.kernels.series_hold import SeriesHold
from brave_bridge.core.survey.facts import Facts
from brave_bridge.runner.briefs import BootOnceBrief
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kernels import (
    KernelComing,
    KernelSeen,
    kernel_holds,
    kernels_coming,
    kernels_of,
)
from brave_bridge.workbench.own_checks import checks_for
from brave_bridge.workbench.refusal import Refused


class BootSeen(msgspec.Struct, frozen=True):
    """What could boot, what boots next and why, and how something would be tried once."""

    kernels: tuple[KernelSeen, ...]
    chain: tuple[Link, ...]
    once: TrialWay
    faults: tuple[str, ...]
    holds: tuple[SeriesHold, ...] = ()
    coming: tuple[KernelComing, ...] = ()


def boot_seen(facts: Facts, spared: Sequence[str] = ()) -> BootSeen:
    """Kernels and boot as the facts have them. ``spared``: see ``kernels_of``."""
    chain = boot_chain(facts.loader, facts.boot.firmware)
    coming = next((link.value for link in chain if link.name == "kernel"), "")
    return BootSeen(
        kernels_of(facts, coming, spared),
        chain,
        trial_way(ground_of(facts)),
        tuple(fault.words for fault in facts.loader.faults),
        kernel_holds(facts),
        tuple(kernels_coming(facts)),
    )


def must_be_tried_once(facts: Facts, kernel: str) -> TrialWay:
    """How a kernel is tried once; Refused where it cannot be, or nothing would bring it back."""
    attempted = f"booting {kernel} once"
    known = [one.version for one in facts.kernels]
    if kernel not in known:
        raise Refused(attempted, f"it is not installed; there are: {', '.join(known) or 'none'}")
    if entry_of(facts.loader, kernel) is None:
        raise Refused(attempted, "no entry of the boot menu starts it", "have the menu made anew")
    if kernel == facts.kernel_that_came_up:
        raise Refused(attempted, "it is what runs")
    way = trial_way(ground_of(facts))
    if way.refusal:
        raise Refused(attempted, way.refusal, "; ".join(way.instead))
    return way


def begin_boot_once(desk: Desk, kernel: str, *, unattended: bool) -> str:
    """Begin to boot a kernel once in a runner; the procedure's id."""
    facts = desk.facts()
    must_be_tried_once(facts, kernel)
    desk.must_have_no_open_leg("booting a kernel once")
    checks = checks_for(desk.target.kind, desk.machine.name, facts)
    brief = BootOnceBrief(kernel, checks)
    return desk.begin("boot once", f"kernel {kernel}, once", brief, unattended)
