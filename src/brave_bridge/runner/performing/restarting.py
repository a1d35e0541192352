"""Restarting a machine, and knowing that it did."""

import time

from brave_bridge.core.crossing.replies import Failed, Reply, Restarted
from brave_bridge.core.crossing.requests import Restart
from brave_bridge.families.topics.boot import MARK_QUERIES, mark_of
from brave_bridge.machines.port import Machine
from brave_bridge.runner.performing.ways_back import Report
from brave_bridge.runner.placed_units import runs_systemd

_LEAST_PAUSE, _MOST_PAUSE = 0.05, 1.0
_MOST_SAID, _LAST_LINES = 64 * 1024, 4


def boot_mark_of(machine: Machine) -> str:
    """What is another after the machine's next boot; empty where nothing tells of any."""
    return mark_of(machine.files.gather(MARK_QUERIES), not machine.is_mounted_only)


def has_restarted(before: str, now: str) -> bool:
    """Whether a boot came in between, by the marks of before and now."""
    return bool(now) and now != before


def command(machine: Machine, *, force: bool) -> tuple[str, ...]:
    """What restarts it: systemctl(1), or shutdown(8) where another init does the work.

    Whoever else holds off a restart is heard: newer ones of systemd refuse to pass over them, older
    ones pass over them where no person asks at a terminal.
    """
    if machine.is_pretended or runs_systemd(machine):
        return ("systemctl", "reboot", *(("--force",) if force else ()))
    return ("reboot", "-f") if force else ("shutdown", "-r", "now")


def restart(machine: Machine, request: Restart, job: str, report: Report) -> Reply:
    """Restart unless it has restarted already, and wait until it is up under another mark."""
    began, pause = time.monotonic(), _LEAST_PAUSE
    argv = command(machine, force=request.force)
    while (waited := time.monotonic() - began) < request.limit_seconds:
        mark = boot_mark_of(machine)
        if has_restarted(request.boot_id, mark):
            return Restarted(mark, waited)
        state = machine.jobs.state_of(job)
        if state is None:
            machine.jobs.start(job, argv, {})
        elif state.state == "ended" and state.exit_code:
            return Failed("restarting", _refusal(machine, job, argv, state.exit_code))
        report(min(100 * waited / request.limit_seconds, 99), f"waiting for {waited:.0f} s", "")
        time.sleep(pause)
        pause = min(pause * 1.5, _MOST_PAUSE)
    limit = f"within {request.limit_seconds // 60} minutes"
    return Failed("restarting", f"the machine did not come up again {limit}")


def _refusal(machine: Machine, job: str, argv: tuple[str, ...], code: int) -> str:
    """What the command that should restart it said, in its last lines."""
    said = machine.jobs.output_of(job, _MOST_SAID).decode(errors="replace").splitlines()
    words = "; ".join(line.strip() for line in said[-_LAST_LINES:] if line.strip())
    return f"{' '.join(argv)} ended with {code}" + (f": {words}" if words else "")
