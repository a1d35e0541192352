"""systemd-boot, by really booting: boot counting tries an entry once, with nobody there."""

from pathlib import Path

import msgspec

from brave_bridge.bootloaders import trials
from brave_bridge.core.boot.grub_trial import ON_TRIAL
from brave_bridge.core.survey.platform import LastBoot
from brave_bridge.families.registry import survey
from brave_bridge.machines.tree import TreeMachine
from tests.support import bootlab

ENTRY = "title {name}\nversion {version}\nlinux /vmlinuz-{kernel}\ninitrd /initrd.img-{kernel}\n"
NEW, OLD = "6.6.0-9", "6.1.0-9"


def prepare(tree: Path, newer: str = "") -> None:
    """Two entries of one kernel under two versions, of which loader.conf names the newer."""
    kernel = bootlab.kernel_of(tree)
    entries = tree / "boot/efi/loader/entries"
    entries.mkdir(parents=True)
    for version, more in ((NEW, f"which=new {newer}"), (OLD, "which=old")):
        text = ENTRY.format(name=f"Lab {version}", version=version, kernel=kernel)
        (entries / f"{version}.conf").write_text(f"{text}options {bootlab.OPTIONS} {more}\n")
    (tree / "boot/efi/loader/loader.conf").write_text(f"timeout 0\ndefault {NEW}.conf\n")


def arm(disk: bootlab.Disk) -> None:
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        facts = survey(machine, "deb")
        facts = msgspec.structs.replace(facts, last_boot=LastBoot(kernel=OLD))
        trials.arrange(machine, facts, NEW, "leg-1")
        disk.put_all_on_fat(root)


def test_a_chosen_entry_boots_once_then_the_good_one_and_then_the_default_again(tmp_path):
    disk = bootlab.efi_with_systemd_boot(tmp_path, prepare)
    arm(disk)
    first, second = disk.boot(), disk.boot()
    assert "which=new" in first.came_up.options and ON_TRIAL in first.came_up.options
    assert "which=old" in second.came_up.options and ON_TRIAL not in second.came_up.options
    assert "brave-bridge-trial+0-1.conf" in disk.fat_names("loader/entries")
    with disk.opened() as root:
        assert trials.end(TreeMachine("lab", root))
        disk.put_all_on_fat(root)
    third = disk.boot()
    assert "which=new" in third.came_up.options and ON_TRIAL not in third.came_up.options


def test_a_trial_that_panics_is_followed_by_the_good_one(tmp_path):
    disk = bootlab.efi_with_systemd_boot(tmp_path, lambda tree: prepare(tree, "rdinit=/nothing"))
    arm(disk)
    booted = disk.boot()
    assert "Kernel panic" in booted.console and len(booted.starts) == 2
    assert "which=old" in booted.came_up.options
