"""Faults of a boot menu: which commands mend each, and what is seen where all of it is gone."""

import msgspec
import pytest

from brave_bridge.bootloaders.known import loader_in
from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.grub_environment import write_environment
from brave_bridge.core.boot.loader_faults import BLOCK, CHOICE, IMAGE, INITRD
from brave_bridge.machines.queries import Found, Seen
from tests.core.test_rules import judged
from tests.support.facts import package

MENU = "/boot/grub/grub.cfg"
WHOLE = ("vmlinuz-6.1", "initrd.img-6.1")
EDIT, ANEW = ("grub-editenv", "/boot/grub/grubenv"), ("grub-mkconfig", "-o", MENU)
GONE = write_environment({"saved_entry": "gone"})
SAVED = 'set default="${saved_entry}"\n'
TEXT = """menuentry 'Lab' --id lab {
\tlinux /boot/vmlinuz-6.1 root=LABEL=system ro
\tinitrd /boot/initrd.img-6.1
}
"""


def fix_of(found: Seen) -> tuple[tuple[str, ...], ...]:
    known = {"loader": loader_in(found), "packages": (package("initramfs-tools"),)}
    return next(f for f in judged(**known) if f.id == "boot-entries").fix


@pytest.mark.parametrize(
    ("kind", "block", "names", "commands"),
    [
        (BLOCK, b"short", WHOLE, ((*EDIT, "create"),)),
        (CHOICE, GONE, WHOLE, ((*EDIT, "unset", "saved_entry", "next_entry"),)),
        (IMAGE, b"", ("vmlinuz-6.12",), (ANEW,)),
        (INITRD, b"", ("vmlinuz-6.1",), (("update-initramfs", "-c", "-k", "6.1"), ANEW)),
    ],
)
def test_each_fault_has_the_commands_that_mend_it(kind, block, names, commands):
    found = seen(*names)
    if block:
        found.contents[MENU] = (SAVED + TEXT).encode()
        found.contents[EDIT[1]] = block
    assert [fault.kind for fault in loader_in(found).faults] == [kind]
    assert fix_of(found) == commands


def test_programs_are_called_as_the_folder_of_their_files_is():
    found = seen(*WHOLE)
    found.contents.pop(MENU)
    found.contents["/boot/grub2/grub.cfg"] = TEXT.encode()
    found.contents["/boot/grub2/grubenv"] = b"short"
    assert fix_of(found) == (("grub2-editenv", "/boot/grub2/grubenv", "create"),)
    found.found.pop("/boot/initrd.img-6.1")
    found.contents.pop("/boot/grub2/grubenv")
    assert fix_of(found)[-1] == ("grub2-mkconfig", "-o", "/boot/grub2/grub.cfg")


def test_what_no_command_mends_is_told_in_words():
    entry = BootEntry("Lab", "6.1", id="lab", image="/boot/vmlinuz-6.1")
    fault = LoaderFault(CHOICE, "gone is to be booted", False)
    counting = Loader("systemd-boot", (entry,), "lab", "/boot/loader.conf", faults=(fault,))
    finding = next(f for f in judged(loader=counting) if f.id == "boot-entries")
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
