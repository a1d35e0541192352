"""How something is booted once, by loader and by what its files stand on, and its menu reached."""

import pytest

from brave_bridge.bootloaders.extlinux import OWN_DATA
from brave_bridge.bootloaders.grub import IN_BLOCK, IN_FILE_ON_ESP
from brave_bridge.bootloaders.known import boot_loader
from brave_bridge.bootloaders.systemd_boot import COUNTED
from brave_bridge.bootloaders.trials import way_of
from brave_bridge.core.boot.entries import OWN, SLOTS, BootEntry, Loader
from brave_bridge.core.boot.extlinux import FOLDER
from brave_bridge.core.boot.extlinux import MENU as MENU_FILE
from brave_bridge.core.formats.fstab import ExpectedMount
from brave_bridge.core.formats.proc import Mount
from tests.support.facts import facts

GRUB = Loader("grub", remembers="/boot/grub/grubenv", told_by="/boot/grub/custom.cfg")
NO_BLOCK = Loader("grub", told_by="/boot/grub/custom.cfg")
UNTOLD = Loader("grub", remembers="/boot/grub/grubenv")
IN_FILES = Loader(
    "systemd-boot", (BootEntry("new", "6.6.0-1", where="/boot/loader/entries/new.conf"),)
)
UNIFIED = Loader("systemd-boot", (BootEntry("image", "6.6.0-1"),))
OF_FIRMWARE = Loader("extlinux", remembers=MENU_FILE)
WITHOUT_TOOL = Loader("extlinux", remembers=f"{FOLDER}/ldlinux.sys")
WITH_TOOL = Loader("extlinux", remembers=f"{FOLDER}/ldlinux.sys", told_by="/usr/bin/extlinux")
EXT4, BTRFS = Mount("/", "/dev/sda2", "ext4"), Mount("/", "/dev/sda2", "btrfs")
ESP = Mount("/boot/efi", "/dev/sda1", "vfat")
BY_UUID = ExpectedMount("/boot/efi", "UUID=AB-CD", "vfat")


@pytest.mark.parametrize(
    ("loader", "mounts", "expected", "mechanism", "refusal"),
    [
        (GRUB, (EXT4,), (), IN_BLOCK, ""),
        (UNTOLD, (EXT4,), (), "", "does not read custom.cfg"),
        (GRUB, (BTRFS,), (), "", "btrfs"),
        (GRUB, (BTRFS, ESP), (BY_UUID,), IN_FILE_ON_ESP, ""),
        (GRUB, (BTRFS, ESP), (), "", "btrfs"),
        (GRUB, (Mount("/", "/dev/mapper/vg-root", "ext4"),), (), "", "/dev/mapper/vg-root"),
        (GRUB, (Mount("/", "/dev/md0", "ext4"),), (), "", "/dev/md0"),
        (NO_BLOCK, (EXT4,), (), "", "not known"),
        (IN_FILES, (), (), COUNTED, ""),
        (UNIFIED, (), (), "", "no files"),
        (OF_FIRMWARE, (), (), "", "permanent"),
        (WITHOUT_TOOL, (), (), "", "not here"),
        (WITH_TOOL, (), (), OWN_DATA, ""),
        (Loader("board"), (), (), "", "this board's firmware"),
        (Loader(SLOTS), (), (), "", "whole images"),
        (Loader(OWN), (), (), "", "tells nobody how"),
        (Loader(), (), (), "", "no boot loader"),
    ],
)
def test_a_trial_is_refused_where_it_would_be_permanent(
    loader, mounts, expected, mechanism, refusal
):
    way = way_of(facts(loader=loader, mounts=mounts, expected_mounts=expected))
    assert way.mechanism == mechanism and refusal in way.refusal
    assert bool(way.refusal) == bool(way.instead) != bool(way.fails and way.hangs)


@pytest.mark.parametrize(
    ("kind", "firmware", "words"),
    [
        ("grub", "efi", "Esc once"),
        ("grub", "bios", "hold Shift"),
        ("systemd-boot", "efi", "hold Space"),
        ("extlinux", "bios", "boot prompt"),
        ("board", "", "config.txt"),
        ("", "efi", "the firmware's boot menu"),
        ("", "bios", "loader is not known"),
    ],
)
def test_every_menu_is_reached_in_its_own_way(kind, firmware, words):
    assert words in boot_loader(Loader(kind)).menu_words(firmware)
