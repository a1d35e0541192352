"""The repeated proofs of a machine's newest crossing: kept with it, started by its own timer."""

from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import Machine
from brave_bridge.machines.runtime import python_argv
from brave_bridge.runner.placed_units import (
    UNITS,
    drop_in,
    environment_lines,
    exec_start,
    place_unit,
    place_wanted,
    runs_systemd,
    take_away,
)

REPEATS: KeptRecord[Repeats] = KeptRecord("proofs.json", Repeats, Repeats())
LOCK = "proof.lock"

_NAME = "brave-bridge-proof"
_WANTED = drop_in("timers.target", _NAME)
_PLACED = (f"{UNITS}/{_NAME}.timer", f"{UNITS}/{_NAME}.service", _WANTED)

_TIMER = """# Placed by Brave Bridge; it is taken away when the last repeated proof has passed.
[Unit]
Description=Brave Bridge proves again that this machine is as good as before

[Timer]
OnBootSec=10min
OnUnitActiveSec=15min
"""


def place_timer(machine: Machine, crossing: str) -> bool:
    """Have the machine's own timers prove it again; whether it has such (systemd.timer(5)).

    It is started for this boot by a job of the crossing, and by a drop-in at later ones.
    """
    if not (machine.is_this_system and runs_systemd(machine)):
        return False
    run = [*python_argv(), "-m", "brave_bridge.cli.entry", "proof", "--due"]
    service = (
        "[Unit]\nDescription=Brave Bridge proves again\n\n[Service]\nType=oneshot\nNice=10\n"
        f"SuccessExitStatus=1\n{environment_lines()}{exec_start(run)}"
    )
    place_unit(machine, f"{_NAME}.service", service)
    place_wanted(machine, f"{_NAME}.timer", _TIMER, _WANTED)
    machine.jobs.start(f"{crossing}-timer", ("systemctl", "start", f"{_NAME}.timer"), {})
    return True


def take_timer_away(machine: Machine) -> None:
    """Take the timer away; does nothing where none was placed."""
    take_away(machine, _PLACED, _WANTED)
