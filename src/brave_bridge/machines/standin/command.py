"""The program that runs a command on a stand-in: ``python -m ... ROOT -- argv``."""

import io
import sys
from pathlib import Path

from brave_bridge.core.images.system import TOOL
from brave_bridge.core.licensed.system import TOOL as LICENSED_TOOL
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin import image_slots, licensed_system, live
from brave_bridge.machines.standin.answers import answer
from brave_bridge.machines.standin.apt import AptGet, configure_one
from brave_bridge.machines.standin.database import Database
from brave_bridge.machines.standin.efi import efibootmgr
from brave_bridge.machines.standin.make import make
from brave_bridge.machines.standin.marks import mark


class _Files(FolderMachine):
    """The files of the stand-in that a command works on."""

    kind = "stand-in"


def run(root: Path, argv: list[str]) -> int:
    """Carry out a command; its exit code, 127 where the stand-in has no such program."""
    machine = _Files(root.name, root)
    if argv[0] == "apt-get":
        return AptGet(machine, argv[1:]).run()
    if argv[0] == "apt-mark":
        mark(machine, set(argv[2:]), argv[1])
        return 0
    if argv[0] == "efibootmgr":
        return efibootmgr(root, argv[1:])
    if argv[0] == "make":
        return make(root, argv[1:])
    if argv[0] == TOOL:
        return image_slots.run(root, argv[1:])
    if argv[0] == LICENSED_TOOL:
        return licensed_system.run(root, argv[1:])
    if argv[0] == "dkms":
        return live.rebuild_modules(root, argv[-1])
    if argv[0] == "ln":
        link = root / argv[-1].lstrip("/")
        link.unlink(missing_ok=True)
        link.symlink_to(argv[-2])
        return 0
    if argv[0] == "dpkg":
        return _dpkg(machine, argv[1:])
    return _on_what_runs(root, argv)


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


def _on_what_runs(root: Path, argv: list[str]) -> int:
    """Commands that look at, or change, what runs on the stand-in."""
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
    if not (guest.stubborn and verb in ("shutdown", "stop", "poweroff")):
        guest.running = _GUEST_VERBS[verb]
        live.save(root, described)
    print(f"Domain '{name}' is being changed")
    return 0


def _dpkg(machine: FolderMachine, words: list[str]) -> int:
    """``dpkg --configure --pending`` (or ``-a``), ``--audit``, and ``--purge`` of what is gone."""
    database = Database(machine)
    if "--audit" in words:
        for name in database.unfinished():
            print(f" {name}")
        return 0
    if "--purge" in words:
        return 0
    if "--configure" not in words:
        print(f"dpkg: error: need an action option: {words}")
        return 2
    keep_mine = True if "--force-confold" in words else None
    failed = [name for name in database.unfinished() if configure_one(database, name, keep_mine)]
    if failed:
        print("Errors were encountered while processing:")
        for name in failed:
            print(f" {name}")
    return 1 if failed else 0


if __name__ == "__main__":
    # Whoever watches the job's output sees each line as it comes.
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(line_buffering=True)
    sys.exit(run(Path(sys.argv[1]), sys.argv[3:]))
