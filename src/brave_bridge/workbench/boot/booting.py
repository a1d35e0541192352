"""Kernels and boot of a machine: what boots next, and booting another kernel once."""

from collections.abc import Sequence

import msgspec

from brave_bridge.bootloaders.known import boot_loader
from brave_bridge.bootloaders.trials import entry_of, way_of
from brave_bridge.core.boot.chain import Link, boot_chain
from brave_bridge.core.boot.trial_way import TrialWay
from brave_bridge.core.kernels.series_hold import SeriesHold
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import FirmwareOption
from brave_bridge.runner.briefs import BootOnceBrief, RemedyBrief
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.boot.kernel_series import KernelComing, kernel_holds, kernels_coming
from brave_bridge.workbench.boot.kernels import (
    BoardSetting,
    KernelSeen,
    KernelWanted,
    board_settings,
    kernels_of,
    kernels_wanted,
)
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused


class BootSeen(msgspec.Struct, frozen=True):
    """What could boot, what boots next and why, and how something would be tried once."""

    kernels: tuple[KernelSeen, ...]
    chain: tuple[Link, ...]
    once: TrialWay
    faults: tuple[str, ...]
    holds: tuple[SeriesHold, ...] = ()
    coming: tuple[KernelComing, ...] = ()
    options: tuple[FirmwareOption, ...] = ()
    wanted: tuple[KernelWanted, ...] = ()
    board: tuple[BoardSetting, ...] = ()


def boot_seen(facts: Facts, spared: Sequence[str] = ()) -> BootSeen:
    """Kernels and boot as the facts have them. ``spared``: see ``kernels_of``."""
    options = facts.boot.options
    coming_by = next((one for one in options if one.next), options[0] if options else None)
    starts = coming_by.title if coming_by and (coming_by.next or coming_by.place) else ""
    why = "chosen for the next boot alone" if coming_by and coming_by.next else "first in its order"
    firmware = facts.boot.firmware
    if facts.board and firmware != "efi":
        firmware = "board"
    chain = boot_chain(
        facts.loader, boot_loader(facts.loader).called, firmware, starts, why if starts else ""
    )
    coming = next((link.value for link in chain if link.name == "kernel"), "")
    return BootSeen(
        kernels_of(facts, coming, spared),
        chain,
        way_of(facts),
        tuple(fault.words for fault in facts.loader.faults),
        kernel_holds(facts),
        tuple(kernels_coming(facts)),
        options,
        tuple(kernels_wanted(facts)),
        tuple(board_settings(facts)),
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
    image = next(one for one in facts.kernels if one.version == kernel)
    if facts.boot.secure_boot and image.signed is False:
        raise Refused(
            attempted, "secure start is on, and it is not signed: it would not be started"
        )
    way = way_of(facts)
    if way.refusal:
        raise Refused(attempted, way.refusal, "; ".join(way.instead))
    return way


def begin_starting_other(desk: Desk, name: str) -> str:
    """Begin to have the firmware start something else at the next boot alone; the procedure's id.

    ``name`` is its number or its title. The boot after that is as ever, whatever becomes of it:
    the firmware forgets the choice before it starts it (UEFI specification, 3.3).
    """
    facts = desk.facts()
    attempted = f"having the firmware start {name} once"
    options = facts.boot.options
    if not options:
        why = "its firmware tells nothing of what it can start"
        raise Refused(attempted, why if facts.boot.firmware == "efi" else "it is no EFI machine")
    found = next((one for one in options if name in (one.name, one.title)), None)
    if found is None:
        raise Refused(attempted, "there are: " + ", ".join(f"{o.name} {o.title}" for o in options))
    command = ("efibootmgr", "--quiet", "--bootnext", found.name)
    return _by_firmware(desk, attempted, f"the next boot starts {found.title}, once", command)


def begin_starting_as_ever(desk: Desk) -> str:
    """Begin to take the firmware's choice for the next boot back; the procedure's id."""
    attempted = "taking the firmware's choice back"
    if not any(option.next for option in desk.facts().boot.options):
        raise Refused(attempted, "nothing is chosen for the next boot alone")
    command = ("efibootmgr", "--quiet", "--delete-bootnext")
    return _by_firmware(desk, attempted, "the next boot is as ever", command)


def _by_firmware(desk: Desk, attempted: str, title: str, command: tuple[str, ...]) -> str:
    folders = ("/usr/bin", "/usr/sbin", "/bin", "/sbin")
    if not any(desk.machine.files.matching(f"{folder}/efibootmgr") for folder in folders):
        raise Refused(attempted, "the tool efibootmgr is missing", "install efibootmgr")
    return begin(desk, "remedy", title, RemedyBrief(title, (command,)), False)


def begin_boot_once(desk: Desk, kernel: str, *, unattended: bool) -> str:
    """Begin to boot a kernel once in a runner; the procedure's id."""
    facts = desk.facts()
    must_be_tried_once(facts, kernel)
    desk.must_have_no_open_leg("booting a kernel once")
    brief = BootOnceBrief(kernel)
    return begin(desk, "boot once", f"kernel {kernel}, once", brief, unattended)
