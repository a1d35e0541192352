"""A machine that really boots, from Debian 12 to 13 and back, over every restart on the way.

``python -m bench.booted_leg`` prints a row for each restart: who managed logins when it was asked
for, what the machine came up as, and what its proof said. Firmware, loader, kernel and initial file
system are emulated (qemu); the system's own init, its services and the program run on the very
disk at full speed, in namespaces, told of the kernel and the options that came up.
"""

import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import msgspec
from tests.support import bootlab, container, lab
from tests.support.runs import newest_procedure
from tests.support.still_archives import still_archives

from brave_bridge.core.proof.difference import NOT_READ, REGRESSION, UNEXPLAINED
from brave_bridge.runner.own_runtime import make_runtime

BRIDGE = "/opt/bridge/brave-bridge"
PACKAGES = ["ca-certificates", "dbus", "libpam-systemd", "openssh-server", "cron"]
PATIENCE = 1800.0
SIZE_MIB = 4200
_MENU_WRITER = "etc/kernel/postinst.d/zz-menu"
_WRITES_MENU = """#!/bin/sh
# The menu of this machine: its kernels, the newest first.
menu=/boot/grub/grub.cfg
cp /boot/grub/head.cfg $menu.new
for image in $(ls /boot/vmlinuz-* | sort -rV); do
  kernel=${image#/boot/vmlinuz-}
  [ -e /boot/initrd.img-$kernel ] || continue
  sed "s/@KERNEL@/$kernel/g" /boot/grub/entry.cfg >>$menu.new
done
cat /boot/grub/tail.cfg >>$menu.new
mv $menu.new $menu
"""


class Came(msgspec.Struct):
    """A restart: what asked for it, under which login manager, and what came up by it."""

    why: str
    login_manager: str
    release: str
    kernel: str
    seconds: float
    ended: str = ""


class Machine:
    """A disk, and the program on it: in namespaces until it restarts, in qemu while it boots."""

    def __init__(self, disk: bootlab.Disk, kernel: str) -> None:
        self.disk = disk
        self.kernel = kernel
        self.options = ""
        self.came: list[Came] = []

    @contextmanager
    def running(self) -> Iterator[tuple[Path, container.Container]]:
        """The system under its own init, until it goes down."""
        with self.disk.opened() as root:
            told = (self.kernel, self.options)
            with bootlab.running(root, *told, reaches=lab.proxy_ports()) as machine:
                yield root, machine

    def boots_as_it_is(self) -> Came:
        """Boot it, so that it is known by what it comes up; what came up."""
        booted = self.disk.boot(patience=600)
        if booted.came_up is None:
            raise RuntimeError(f"it did not come up: {booted.console[-3000:]}")
        here = booted.came_up
        self.kernel, self.options = here.kernel, here.options
        return Came("", "", here.release, here.kernel, booted.seconds)

    def asks_for_a_restart(self, why: str, *words: str) -> None:
        """Let the program do something that restarts the machine, and boot it really."""
        with self.running() as (root, machine):
            self._goes_down(root, machine, why, words)
        self._boots()

    def goes_on(self) -> None:
        """Let what was interrupted by the restart end by itself."""
        with self.running() as (root, _):
            self.came[-1].ended = _ended(root)

    def _goes_down(
        self, root: Path, machine: container.Container, why: str, words: tuple[str, ...]
    ) -> None:
        _, told = machine.run("loginctl", "--version")
        self.came.append(Came(why, told.split("\n")[0], "", "", 0.0))
        code, told = machine.run(*words, seconds=PATIENCE, **lab.proxies())
        if not machine.wait_until_down(PATIENCE if code in (0, 125) else 60):
            raise RuntimeError(f"{why}: it did not go down ({code}): {told[-2000:]}")
        print(f"... {why}: it goes down", flush=True)

    def _boots(self) -> None:
        booted = self.boots_as_it_is()
        here = self.came[-1]
        here.release, here.kernel, here.seconds = booted.release, self.kernel, booted.seconds
        print(f"... it came up as {here.release}, {here.kernel}", flush=True)


def _ended(root: Path) -> str:
    """How the newest procedure ended, in a few words, once it has."""
    until = time.monotonic() + PATIENCE
    while (row := newest_procedure(root)).state in (
        "running",
        "resting",
    ) and time.monotonic() < until:
        time.sleep(1)
    outcome = row.outcome
    if outcome is None:
        return f"{row.kind} {row.state}"
    proof = outcome.proof
    said = "not proven" if proof is None else "proven" if proof.passed else "WORSE"
    for one in proof.differences if proof else ():
        if one.verdict in (REGRESSION, NOT_READ, UNEXPLAINED):
            print(f"    {one.verdict}: {one.subject}: {one.before} → {one.after} ({one.meaning})")
    for words in outcome.warnings:
        print(f"    warned of: {words}")
    more = f": {outcome.why}" if outcome.why else ""
    return f"{row.kind} {outcome.state}, {said}{more}"


def laid(folder: Path) -> Machine:
    """A Debian 12 with logins, ssh and cron, and the program on it."""
    runtime = make_runtime(folder / "runtime")

    def prepare(tree: Path) -> None:
        kernel = bootlab.kernel_of(tree)
        text = bootlab.menu("@KERNEL@", system="")
        begin, end = text.index("menuentry"), text.index(bootlab.MENU_TAIL)
        entry = text[begin:end].replace("'system' --id system", "'@KERNEL@' --id @KERNEL@")
        grub = tree / "boot/grub"
        (grub / "head.cfg").write_text(text[:begin])
        (grub / "entry.cfg").write_text(entry)
        (grub / "tail.cfg").write_text(bootlab.MENU_TAIL)
        writer = tree / _MENU_WRITER
        writer.write_text(_WRITES_MENU)
        writer.chmod(0o755)
        lab.install(tree, PACKAGES)
        lab.one_source(tree, "bookworm")
        code, told = lab.in_tree(tree, "sh", f"/{_MENU_WRITER}")
        assert code == 0 and kernel in (grub / "grub.cfg").read_text(), told
        subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
        default = tree / "etc/systemd/system/default.target"
        default.unlink()
        default.symlink_to("/lib/systemd/system/multi-user.target")

    disk = bootlab.bios_on_ext4(folder, prepare, size_mib=SIZE_MIB)
    return Machine(disk, bootlab.kernel_of(bootlab.tree()))


def run_all() -> None:
    """The whole way, and the table."""
    if reason := bootlab.why_not() or container.why_not():
        print(f"left out, a leg of a machine that boots: {reason}")
        return
    with still_archives(keep_all=True), tempfile.TemporaryDirectory(dir="/var/tmp") as name:
        machine = laid(Path(name))
        machine.boots_as_it_is()
        machine.asks_for_a_restart("the leg to 13", BRIDGE, "cross", "--to", "13", "--yes")
        machine.goes_on()
        machine.asks_for_a_restart(
            "a restart on 13",
            "sh",
            "-c",
            f"touch /run/reboot-required; {BRIDGE} mend restart-pending --yes",
        )
        machine.goes_on()
        # A return asks for no restart itself: it says that one is due.
        machine.asks_for_a_restart(
            "the return to 12",
            "sh",
            "-c",
            f"{BRIDGE} return newest --yes && systemctl reboot --force",
        )
        machine.goes_on()
    print("| restart for | login manager | came up | boot | ended |\n|---|---|---|---|---|")
    for one in machine.came:
        came = f"{one.release}, {one.kernel}"
        print(f"| {one.why} | {one.login_manager} | {came} | {one.seconds:.0f} s | {one.ended} |")


if __name__ == "__main__":
    run_all()
