"""Commands that look at, or change, what runs on a stand-in, and those of its own tools."""

from pathlib import Path

from brave_bridge.core.images.system import TOOL
from brave_bridge.core.licensed.system import TOOL as LICENSED_TOOL
from brave_bridge.machines.standin import image_slots, live
from brave_bridge.machines.standin.answers import answer

_GUEST_VERBS = {
    "shutdown": False,
    "destroy": False,
    "stop": False,
    "poweroff": False,
    "kill": False,
    "start": True,
}
"""What each manager's verbs make of a guest: running or not."""

_MANAGERS = {"virsh": "libvirt", "machinectl": "machined", "podman": "podman", "docker": "docker"}


def run_on_what_runs(root: Path, argv: list[str]) -> int:
    """Carry out a command; its exit code, 127 where the stand-in has no such program."""
    if argv[0] == TOOL:
        return image_slots.run(root, argv[1:])
    if argv[0] == LICENSED_TOOL:
        from brave_bridge.machines.standin import licensed_tool

        return licensed_tool.run(root, argv[1:])
    if argv[0] == "dkms":
        return live.rebuild_modules(root, argv[-1])
    described = live.load(root)
    if described is None:
        print(f"{argv[0]}: not found")
        return 127
    if argv[:2] == ["systemctl", "reboot"]:
        live.restart(root)
        return 0
    verb = next((word for word in argv[1:] if word in _GUEST_VERBS), "")
    if argv[0] in _MANAGERS and verb:
        return _change_guest(root, described, _MANAGERS[argv[0]], verb, argv[-1])
    if argv[0] == "systemctl" and verb in ("start", "stop", "restart"):
        for unit in described.units:
            if unit.name in argv:
                unit.active = "inactive" if verb == "stop" else "active"
        live.save(root, described)
        return 0
    told = answer(described, argv)
    print(told.output or (f"{argv[0]}: not found" if told.code == 127 else ""), end="")
    return told.code


def _change_guest(root: Path, described: live.Live, manager: str, verb: str, name: str) -> int:
    guest = next((g for g in described.guests if (g.manager, g.name) == (manager, name)), None)
    if guest is None or manager not in described.managers:
        print(f"error: there is no guest {name}")
        return 1
    if guest.broken and _GUEST_VERBS[verb]:
        print(f"error: failed to start domain '{name}': its disk is not there")
        return 1
    if not (guest.stubborn and verb in ("shutdown", "stop", "poweroff")):
        guest.running = _GUEST_VERBS[verb]
        live.save(root, described)
    print(f"Domain '{name}' is being changed")
    return 0
