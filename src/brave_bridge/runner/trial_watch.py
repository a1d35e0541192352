"""What restarts a system on trial by itself, unless somebody has looked that it is well.

A timer of systemd's that counts from the kernel's start, and only where the kernel was given the
option of a trial. The loader has forgotten the trial by then: the restart is into the good one.
"""

from brave_bridge.core.boot.grub_trial import ON_TRIAL
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Names
from brave_bridge.runner.placed_units import UNITS, drop_in, place_unit, place_wanted, take_away

_NAME = "brave-bridge-trial"
_WANTED = drop_in("sysinit.target", _NAME)
_PLACED = (f"{UNITS}/{_NAME}.timer", f"{UNITS}/{_NAME}.service", _WANTED)
_SYSTEMD = ("/lib/systemd/systemd", "/usr/lib/systemd/systemd")
LIMIT_SECONDS = 20 * 60
"""From the kernel's start to the moment at which nobody is waited for any more."""


def place(machine: Machine, limit_seconds: int = LIMIT_SECONDS) -> bool:
    """Place the watch for the next boot; whether this machine has the init for it."""
    if machine.is_pretended or not machine.files.gather((Names(_SYSTEMD),)).found:
        return False
    head = (
        "# Placed by Brave Bridge; it is taken away when what is on trial is known to be well.\n"
        f"[Unit]\nDescription=Brave Bridge {{}}\nDefaultDependencies=no\n"
        f"ConditionKernelCommandLine={ON_TRIAL}\n\n"
    )
    service = (
        head.format("brings the known good system back")
        + "[Service]\nType=oneshot\nExecStart=/bin/true\n"
    ).replace("DefaultDependencies=no\n", "DefaultDependencies=no\nSuccessAction=reboot-force\n")
    timer = (
        head.format("waits for somebody to say that this system is well")
        + f"[Timer]\nOnBootSec={limit_seconds}\nAccuracySec=1\n"
    )
    place_unit(machine, f"{_NAME}.service", service)
    place_wanted(machine, f"{_NAME}.timer", timer, _WANTED)
    return True


def take_watch_away(machine: Machine, job: str) -> None:
    """Stop the watch of this boot, and have none at later ones."""
    there = machine.files.gather((Names(_PLACED),)).found
    if not there:
        return
    if machine.is_this_system:
        machine.jobs.start(job, ("systemctl", "stop", f"{_NAME}.timer"), {})
    take_away(machine, _PLACED, _WANTED)
