"""The repeated proofs of a machine's newest crossing: kept with it, started by its own timer."""

from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Names
from brave_bridge.machines.runtime import python_argv
from brave_bridge.runner.after_boot import environment_lines, take_away, unit_quoted

REPEATS: KeptRecord[Repeats] = KeptRecord("proofs.json", Repeats, Repeats())
LOCK = "proof.lock"

_UNITS = "/etc/systemd/system"
_NAME = "brave-bridge-proof"
_WANTED = f"{_UNITS}/timers.target.d/brave-bridge-proof.conf"
_PLACED = (f"{_UNITS}/{_NAME}.timer", f"{_UNITS}/{_NAME}.service", _WANTED)
_SYSTEMD = "/run/systemd/system"

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
    there = machine.files.gather((Names((_SYSTEMD,)),)).found
    if not machine.is_this_system or _SYSTEMD not in there:
        return False
    run = [*python_argv(), "-m", "brave_bridge.cli.entry", "proof", "--due"]
    service = (
        "[Unit]\nDescription=Brave Bridge proves again\n\n[Service]\nType=oneshot\nNice=10\n"
        f"SuccessExitStatus=1\n{environment_lines()}"
        f"ExecStart={' '.join(map(unit_quoted, run))}\n"
    )
    machine.files.write(f"{_UNITS}/{_NAME}.service", service.encode(), 0o600)
    machine.files.write(f"{_UNITS}/{_NAME}.timer", _TIMER.encode(), 0o644)
    machine.files.write(_WANTED, f"[Unit]\nWants={_NAME}.timer\n".encode(), 0o644)
    machine.jobs.start(f"{crossing}-timer", ("systemctl", "start", f"{_NAME}.timer"), {})
    return True


def take_timer_away(machine: Machine) -> None:
    """Take the timer away; does nothing where none was placed."""
    take_away(machine, _PLACED, _WANTED)
