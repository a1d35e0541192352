"""A trial arranged by the product on the disk of a machine, and then really booted."""

import shutil
from pathlib import Path

import msgspec
import pytest

from brave_bridge.bootloaders import trials
from brave_bridge.core.boot.grub_environment import read_environment
from brave_bridge.core.boot.grub_trial import ON_TRIAL
from brave_bridge.core.survey.platform import LastBoot
from brave_bridge.families.registry import survey
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner import trial_watch
from tests.support import bootlab

NEWER = "6.6.0-9-lab"


def two_kernels(tree: Path) -> None:
    """Give a tree a second kernel, which its menu takes first."""
    older = bootlab.kernel_of(tree)
    for name in ("vmlinuz", "initrd.img"):
        shutil.copy(tree / f"boot/{name}-{older}", tree / f"boot/{name}-{NEWER}")
    newer, both = bootlab.menu(NEWER, newer=""), bootlab.menu(older, older="")
    entry = both[both.index("menuentry") :]
    (tree / "boot/grub/grub.cfg").write_text(newer[: newer.index("if [ -f $")] + entry)


@pytest.fixture
def disk(tmp_path):
    """A machine with two kernels."""
    return bootlab.bios_on_ext4(tmp_path, two_kernels)


def arrange(root, limit_seconds: int = 600) -> str:
    """Have the newer kernel tried, as if the older one ran; what the older is called."""
    machine = TreeMachine("lab", root)
    facts = survey(machine, "deb")
    older = min(entry.kernel for entry in facts.loader.entries)
    facts = msgspec.structs.replace(facts, last_boot=LastBoot(kernel=older))
    trials.arrange(machine, facts, NEWER, "leg-1")
    assert trial_watch.place(machine, limit_seconds)
    return older


def image_of(booted) -> str:
    return booted.came_up.options.split()[0].rpartition("/")[2]


def test_a_system_that_comes_up_and_is_not_well_is_brought_back_and_nothing_stays(disk):
    with disk.opened() as root:
        bootlab.with_its_own_init(root)
        menu = (root / "boot/grub/grub.cfg").read_bytes()
        older = arrange(root, limit_seconds=5)
        says = root / "usr/local/sbin/say-what-came-up"
        says.write_text(
            f"#!/bin/sh\ngrep -q {ON_TRIAL} /proc/cmdline && exit 0\n" + says.read_text()
        )
    booted = disk.boot()
    assert [ON_TRIAL in one for one in booted.starts] == [True, False]
    assert f"vmlinuz-{NEWER}" in booted.starts[0] and image_of(booted) == f"vmlinuz-{older}"
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        trial_watch.take_watch_away(machine, "job")
        assert trials.end(machine) and not trials.end(machine)
        # Nothing but the menu of before says what boots: the newer one, as ever.
        assert not (root / "boot/grub/custom.cfg").exists()
        assert read_environment((root / "boot/grub/grubenv").read_bytes()) == {}
        assert (root / "boot/grub/grub.cfg").read_bytes() == menu


def test_on_btrfs_it_is_refused_with_what_could_be_set_up(disk):
    with disk.opened() as root:
        (root / "etc/fstab").write_text("LABEL=system / btrfs defaults 0 0\n")
        with pytest.raises(MachineError, match="a trial would be permanent") as refused:
            arrange(root)
        assert "ext4" in refused.value.remedy
        assert not (root / "boot/grub/custom.cfg").exists()
