"""The program on a machine with real firmware: it tries a kernel, and nobody touches anything."""

import shutil
import subprocess
from pathlib import Path

import pytest

from brave_bridge.bootloaders.known import read_loader
from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.bootlab.test_arranged_by_us import NEWER, image_of
from tests.support import bootlab, container

BRIDGE = "/opt/bridge/brave-bridge"
SAYS = "usr/local/sbin/say-what-came-up"
WAITS_AND_SAYS = """#!/bin/sh
while [ -e /etc/systemd/system/brave-bridge-after-boot.service ]; do
  sleep 1
done
exec /usr/local/sbin/say-what-came-up
"""
UNIT = """[Unit]
Description=What this machine is for
[Service]
ExecStart=/usr/local/sbin/waits-and-says
"""
IDLE = (
    "e2scrub_reap.service",
    "e2scrub_all.timer",
    "systemd-udev-trigger.service",
    "systemd-udevd.service",
    "systemd-update-utmp.service",
    "systemd-update-utmp-runlevel.service",
    "systemd-user-sessions.service",
    "systemd-random-seed.service",
    "systemd-sysusers.service",
    "systemd-sysctl.service",
    "systemd-fsck-root.service",
    "modprobe@.service",
)
"""What no test asks for, and takes half a minute of each start where all is emulated."""
PLACED = ("brave-bridge-after-boot.service", "brave-bridge-trial.timer")


def laid(folder: Path, runtime: Path) -> bootlab.Disk:
    """A machine with the program, of which the menu takes the older of two kernels first."""

    def prepare(tree: Path) -> None:
        older = bootlab.kernel_of(tree)
        for name in ("vmlinuz", "initrd.img"):
            shutil.copy(tree / f"boot/{name}-{older}", tree / f"boot/{name}-{NEWER}")
        (tree / f"lib/modules/{NEWER}").symlink_to(older)
        (tree / f"boot/initrd.img-{NEWER}").write_bytes(b"damaged" * 1000)
        text, newer = bootlab.menu(older, older=""), bootlab.menu(NEWER, newer="")
        entry = newer[newer.index("menuentry") : newer.index("if [ -f $")]
        (tree / "boot/grub/grub.cfg").write_text(
            text.replace(bootlab.MENU_TAIL, entry + bootlab.MENU_TAIL)
        )
        bootlab.with_its_own_init(tree)
        subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
        units = tree / "etc/systemd/system"
        (units / "default.target").unlink()
        (units / "default.target").symlink_to("/lib/systemd/system/multi-user.target")
        for sums in (tree / "var/lib/dpkg/info").glob("*.md5sums"):
            # Reading every file against its sum, emulated, takes longer than all else.
            sums.unlink()
        for name in IDLE:
            (units / name).symlink_to("/dev/null")
        # Who asks for a name at the console takes it away from whoever speaks there.
        for name in ("getty.target", "serial-getty@ttyS0.service"):
            (units / name).symlink_to("/dev/null")

    return bootlab.bios_on_ext4(folder, prepare, size_mib=1700)


def begun(root: Path, kernel: str) -> None:
    """Let the machine run, at full speed, and have it try the newer kernel once: it goes down."""
    says, aside = root / SAYS, root / "root/say"
    # It switches off whichever machine it is called on.
    says.rename(aside)
    with container.booted(root, kernel=kernel, most_boots=1) as machine:
        machine.run(BRIDGE, "boot-once", NEWER, "--yes", seconds=600)
        assert machine.wait_until_down(600)
    aside.rename(says)


def have_it_say(root: Path) -> None:
    """Once the procedure is over, the machine says what came up, and switches itself off."""
    waits = root / "usr/local/sbin/waits-and-says"
    waits.write_text(WAITS_AND_SAYS)
    waits.chmod(0o755)
    units = root / "etc/systemd/system"
    (units / "lab.service").write_text(UNIT)
    (units / "multi-user.target.wants").mkdir(exist_ok=True)
    (units / "multi-user.target.wants/lab.service").symlink_to("../lab.service")


def told_by(machine: TreeMachine) -> ProcedureRow:
    """The machine's newest procedure, as its own logbook has it."""
    logbook = Desk(Target("tree", str(machine.root)), machine).logbook()
    (row, *_) = logbook.procedures()
    logbook.close()
    return row


@pytest.mark.long
def test_a_kernel_that_does_not_come_up_is_told_by_the_machine_itself(tmp_path, runtime):
    if reason := container.why_not():
        pytest.skip(reason)
    disk = laid(tmp_path, runtime)
    with disk.opened() as root:
        begun(root, bootlab.kernel_of(bootlab.tree()))
        bootlab.panic_soon(root / "boot/grub/custom.cfg")
        have_it_say(root)
    booted = disk.boot(patience=600)
    assert booted.came_up is not None, booted.console[-3000:]
    assert len(booted.starts) == 2 and "panic" in booted.console
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        row = told_by(machine)
        assert (row.state, row.outcome.at) == ("failed", "came up"), row.outcome
        older = image_of(booted).removeprefix("vmlinuz-")
        assert f"kernel {older} came up, {NEWER} was expected" in row.outcome.why
        assert f"{older} runs, and every boot takes it" in row.outcome.safe
        assert next_entry(read_loader(machine)).kernel == older
        units = root / "etc/systemd/system"
        assert not [name for name in PLACED if (units / name).exists()]
