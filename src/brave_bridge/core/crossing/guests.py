"""What managers of guests are asked so that guests stop and start (virsh(1), machinectl(1))."""

from collections.abc import Callable

import msgspec

from brave_bridge.core.crossing.requests import AwaitAnswer, Run

UP_SECONDS = 60
"""How long a guest may take until its manager says that it is at work again."""
PATIENCE_SECONDS = 180
"""How long a guest may take to shut down before a person is asked."""


class GuestName(msgspec.Struct, frozen=True):
    """A guest of a manager."""

    name: str
    manager: str


class _Manager(msgspec.Struct, frozen=True):
    stop: Callable[[str], tuple[str, ...]]
    force: Callable[[str], tuple[str, ...]]
    start: Callable[[str], tuple[str, ...]]
    state: Callable[[str], tuple[str, ...]]
    off: tuple[str, ...]
    """What ``state`` answers for a guest that is off."""
    gone_is_off: bool = False


def _container(tool: str) -> _Manager:
    return _Manager(
        stop=lambda name: (tool, "stop", name),
        force=lambda name: (tool, "kill", name),
        start=lambda name: (tool, "start", name),
        state=lambda name: (tool, "inspect", "--format", "{{.State.Status}}", name),
        off=("exited", "stopped", "created"),
    )


MANAGERS = {
    "libvirt": _Manager(
        stop=lambda name: ("virsh", "shutdown", name),
        force=lambda name: ("virsh", "destroy", name),
        start=lambda name: ("virsh", "start", name),
        state=lambda name: ("virsh", "domstate", name),
        off=("shut off",),
    ),
    "machined": _Manager(
        stop=lambda name: ("machinectl", "poweroff", name),
        force=lambda name: ("machinectl", "terminate", name),
        start=lambda name: ("machinectl", "start", name),
        state=lambda name: ("machinectl", "show", name, "--property=State", "--value"),
        off=("",),
        gone_is_off=True,
    ),
    "podman": _container("podman"),
    "docker": _container("docker"),
}


def ask_to_stop(guest: GuestName) -> Run:
    """Ask a guest to shut down by itself."""
    return Run(title=f"Shut down {guest.name}", argv=MANAGERS[guest.manager].stop(guest.name))


def switch_off(guest: GuestName) -> Run:
    """End a guest without asking it."""
    return Run(title=f"Switch {guest.name} off", argv=MANAGERS[guest.manager].force(guest.name))


def start(guest: GuestName) -> Run:
    """Start a guest."""
    return Run(title=f"Start {guest.name}", argv=MANAGERS[guest.manager].start(guest.name))


def await_off(guest: GuestName, seconds: int = PATIENCE_SECONDS) -> AwaitAnswer:
    """Wait until a guest is off."""
    manager = MANAGERS[guest.manager]
    return AwaitAnswer(
        title=f"Wait until {guest.name} is off",
        argv=manager.state(guest.name),
        wanted=manager.off,
        limit_seconds=seconds,
        or_failure=manager.gone_is_off,
    )


def await_up(guest: GuestName) -> AwaitAnswer:
    """Wait until a guest is at work."""
    return AwaitAnswer(
        title=f"Wait until {guest.name} is at work",
        argv=MANAGERS[guest.manager].state(guest.name),
        wanted=("running",),
        limit_seconds=UP_SECONDS,
    )
