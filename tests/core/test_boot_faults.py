"""Faults of a boot menu: which commands mend each, and what is seen where all of it is gone."""

import msgspec
import pytest

from brave_bridge.bootloaders.reading import loader_in
from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.loader_faults import BLOCK, CHOICE, IMAGE, INITRD
from brave_bridge.machines.queries import Found, Seen
from tests.core.test_rules import judged
from tests.support.facts import package

MENU = "/boot/grub/grub.cfg"
TEXT = """menuentry 'Lab' --id lab {
\tlinux /boot/vmlinuz-6.1 root=LABEL=system ro
\tinitrd /boot/initrd.img-6.1
}
"""


def loader(*faults: LoaderFault, kind: str = "grub") -> Loader:
    entry = BootEntry("Lab", "6.1", id="lab", image="/boot/vmlinuz-6.1")
    return Loader(kind, (entry,), "lab", remembers="/boot/grub/grubenv", faults=faults)


@pytest.mark.parametrize(
    ("kind", "commands"),
    [
        (BLOCK, (("grub-editenv", "/boot/grub/grubenv", "create"),)),
        (CHOICE, (("grub-editenv", "/boot/grub/grubenv", "unset", "saved_entry", "next_entry"),)),
        (IMAGE, (("grub-mkconfig", "-o", MENU),)),
        (INITRD, (("update-initramfs", "-c", "-k", "6.1"), ("grub-mkconfig", "-o", MENU))),
    ],
)
def test_each_fault_has_the_commands_that_mend_it(kind, commands):
    fault = LoaderFault(kind, "it does not fit", True, "6.1")
    known = {"loader": loader(fault), "packages": (package("initramfs-tools"),)}
    finding = next(f for f in judged(**known) if f.id == "boot-entries")
    assert finding.fix == commands


def test_what_no_command_mends_is_told_in_words():
    fault = LoaderFault(CHOICE, "gone is to be booted", False)
    finding = next(
        f for f in judged(loader=loader(fault, kind="systemd-boot")) if f.id == "boot-entries"
    )
    assert not finding.fix and "made anew" in finding.remedy


def seen(*names: str) -> Seen:
    found = {f"/boot/{name}": Found(f"/boot/{name}", "file", 1) for name in names}
    return Seen(contents={MENU: TEXT.encode()}, found=found)


def test_a_menu_of_which_every_kernel_is_gone_is_at_fault():
    (fault,) = loader_in(seen("vmlinuz-6.12", "initrd.img-6.12")).faults
    assert fault.kind == IMAGE and fault.next_boot and "vmlinuz-6.1 is not in /boot" in fault.words
    assert not loader_in(seen("vmlinuz-6.1", "initrd.img-6.1")).faults
    (fault,) = loader_in(seen("vmlinuz-6.1")).faults
    assert fault.kind == INITRD


def test_nothing_is_said_where_the_boot_partition_is_not_mounted():
    assert not loader_in(seen()).faults
    assert msgspec.structs.asdict(loader_in(seen()))["kind"] == "grub"
