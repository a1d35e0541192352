"""The program on a machine with real firmware: it tries a kernel, and nobody touches anything.

What the firmware, the loader and the kernels do is emulated; what the system does under its own
init runs at full speed, told of the kernel that came up, and with which options.
"""

import shutil
import subprocess
import time
from pathlib import Path

import pytest

from brave_bridge.bootloaders.known import read_loader
from brave_bridge.core.boot.grub_trial import ON_TRIAL
from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.machines.tree import TreeMachine
from tests.bootlab.test_arranged_by_us import NEWER, image_of
from tests.support import bootlab, container
from tests.support.runs import newest_procedure

BRIDGE = "/opt/bridge/brave-bridge"
PLACED = ("brave-bridge-after-boot.service", "brave-bridge-trial.timer")
PATIENCE_SECONDS = 600


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
        subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
        units = tree / "etc/systemd/system"
        (units / "default.target").unlink()
        (units / "default.target").symlink_to("/lib/systemd/system/multi-user.target")

    return bootlab.bios_on_ext4(folder, prepare, size_mib=1700)


def left_of(root: Path) -> list[str]:
    """What the program has placed to be started after the boot."""
    return [name for name in PLACED if (root / "etc/systemd/system" / name).exists()]


@pytest.mark.long
def test_a_kernel_that_does_not_come_up_is_told_by_the_machine_itself(tmp_path, runtime):
    if reason := container.why_not():
        pytest.skip(reason)
    disk = laid(tmp_path, runtime)
    with disk.opened() as root:
        with bootlab.running(root, bootlab.kernel_of(bootlab.tree())) as machine:
            machine.run(BRIDGE, "boot-once", NEWER, "--yes", seconds=PATIENCE_SECONDS)
            assert machine.wait_until_down(PATIENCE_SECONDS)
        bootlab.panic_soon(root / "boot/grub/custom.cfg")
        assert left_of(root)
    booted = disk.boot(patience=PATIENCE_SECONDS)
    assert booted.came_up is not None, booted.console[-3000:]
    assert [ON_TRIAL in one for one in booted.starts] == [True, False] and "panic" in booted.console
    older = booted.came_up.kernel
    assert image_of(booted) == f"vmlinuz-{older}"
    with disk.opened() as root:
        with bootlab.running(root, older, booted.came_up.options):
            until = time.monotonic() + PATIENCE_SECONDS
            while left_of(root) and time.monotonic() < until:
                time.sleep(0.5)
        assert not left_of(root)
        machine = TreeMachine("lab", root)
        row = newest_procedure(root)
        assert (row.state, row.outcome.at) == ("failed", "came up"), row.outcome
        assert f"kernel {older} came up, {NEWER} was expected" in row.outcome.why
        assert f"{older} runs, and every boot takes it" in row.outcome.safe
        assert next_entry(read_loader(machine)).kernel == older
