"""Whether a running machine needs a restart, from what was seen on it, each reason with where.

No single mark decides: what runs is held against what is installed, file times against the time
of the boot, and the marks of the package manager are one witness among others.
"""

from collections.abc import Iterator
from datetime import datetime

import msgspec

from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.core.kernels.series_hold import series_holds
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import Kernel
from brave_bridge.core.versions.deb import version_key

NO_ROLES = Roles(())
_C_LIBRARY = ("/libc.so.", "/libc-2.", "/ld-linux", "/ld-2.", "/ld-musl")
_MESSAGE_BUS = ("dbus-daemon", "dbus-broker", "dbus-broker-lau")
_MOST_NAMED = 5


class RestartReason(msgspec.Struct, frozen=True):
    """Why a restart is needed, in a sentence, and where that was seen."""

    words: str
    where: str


def restart_reasons(facts: Facts, roles: Roles = NO_ROLES) -> tuple[RestartReason, ...]:
    """Why the machine as it runs is not the one that is installed; nothing for one at rest."""
    if not facts.runs:
        return ()
    return (
        *_marks(facts),
        *_kernel(facts),
        *_replaced_files(facts),
        *_changed_since_boot(facts, roles),
    )


_INITS = ("init", "openrc-init", "runit", "s6-svscan", "dinit")
"""First processes that start a system; one with systemd is known by its units."""


def newest_kernel(facts: Facts) -> Kernel | None:
    """The newest kernel that is installed, of the series that the machine is held at."""
    held = {hold.series for hold in series_holds(facts.pins, facts.kernel_packages)}
    of_series = [kernel for kernel in facts.kernels if series_of(kernel.version) in held]
    return max(
        of_series or facts.kernels, key=lambda kernel: version_key(kernel.version), default=None
    )


def can_restart(facts: Facts) -> bool:
    """Whether a restart is this system's own: it has a kernel, or an init that is asked.

    A container without either is restarted by whoever runs it.
    """
    return bool(facts.kernels or facts.activity.units or facts.boot.first_process in _INITS)


def _marks(facts: Facts) -> Iterator[RestartReason]:
    activity = facts.activity
    if activity.restart_wanted:
        by = ", ".join(activity.restart_wanted_by[:_MOST_NAMED]) or "not said by which package"
        yield RestartReason(f"the package manager asks for it: {by}", facts.where("restart"))


def _kernel(facts: Facts) -> Iterator[RestartReason]:
    """A kernel newer than the one that runs, which came since the boot."""
    newest, running = newest_kernel(facts), facts.boot.kernel
    if newest is None or not running or version_key(newest.version) <= version_key(running):
        return
    if _is_later(newest.installed_at, facts.boot.booted_at):
        words = f"kernel {newest.version} came since the boot, {running} is running"
        yield RestartReason(words, f"{newest.path}; {facts.where('boot')}")


def _replaced_files(facts: Facts) -> Iterator[RestartReason]:
    """What cannot be restarted by itself and still uses files that were replaced."""
    for program in facts.activity.stale:
        if program.process == 1:
            words = f"process 1 still uses {program.file}, which was replaced"
        elif program.program in _MESSAGE_BUS:
            words = f"the message bus still uses {program.file}, which was replaced"
        elif any(name in program.file for name in _C_LIBRARY):
            words = f"{program.program} still uses the C library of before"
        else:
            continue
        yield RestartReason(words, f"/proc/{program.process}/maps")
        if program.process != 1:
            return


def _changed_since_boot(facts: Facts, roles: Roles) -> Iterator[RestartReason]:
    """Packages that take effect only by a restart, put in place since the boot."""
    for package in facts.installed:
        role = roles.of(package.name)
        if role is None or not role.restart or role.name == "kernel":
            continue
        if _is_later(package.installed_at, facts.boot.booted_at):
            words = f"{package.name} ({role.name}) is of after the boot"
            yield RestartReason(words, f"its time in {facts.where('packages')}")


def _is_later(moment: str, boot: str) -> bool:
    """Whether a moment is after the boot; no where one of them is not known.

    A minute is left for clocks that were set while the machine came up.
    """
    if not moment or not boot:
        return False
    since = datetime.fromisoformat(moment) - datetime.fromisoformat(boot)
    return since.total_seconds() > 60
