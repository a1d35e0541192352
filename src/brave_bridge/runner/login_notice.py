"""Whoever logs in on a machine whose leg is not whole is told so (pam_motd(8), its folder)."""

import contextlib

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.formats.text import plain
from brave_bridge.machines.port import Machine, MachineError

_FOLDER = "/etc/motd.d"
NOTICE = f"{_FOLDER}/brave-bridge"


def place_notice(machine: Machine, leg: OpenLeg) -> None:
    """Place it; a machine that takes none goes on without."""
    why = f"  It stands at {leg.at}: {plain(leg.why)}\n" if leg.why else ""
    back = f"; back: brave-bridge return {leg.way_back}" if leg.way_back else ""
    text = (
        f"Brave Bridge: {plain(leg.title)} was begun on this machine and is not whole.\n{why}"
        f"  On with it, or watching it: brave-bridge go-on{back}\n"
    )
    with contextlib.suppress(MachineError):
        machine.files.write(NOTICE, text.encode())


def take_notice_away(machine: Machine) -> None:
    """Take it away, with its folder where nothing else is in that; nothing where none is placed."""
    with contextlib.suppress(MachineError):
        if machine.files.is_file(NOTICE):
            machine.files.remove(NOTICE)
            if not machine.files.matching(f"{_FOLDER}/*"):
                machine.files.remove_folder(_FOLDER)
