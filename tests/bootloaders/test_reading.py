"""The one reader of what boots: a loader's files on a machine, and what does not fit together."""

import pytest

from brave_bridge.bootloaders import grub_writing, systemd_boot_writing
from brave_bridge.bootloaders.known import read_loader
from brave_bridge.bootloaders.trials import make_default
from brave_bridge.core.boot.chain import boot_chain
from brave_bridge.core.boot.grub_environment import write_environment
from brave_bridge.core.boot.grub_trial import MARK, TRIAL_ID
from brave_bridge.core.boot.loader_faults import BLOCK, CHOICE, IMAGE, INITRD, next_entry
from brave_bridge.families.registry import survey
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.tree import TreeMachine
from tests.core.test_boot_files import EXTLINUX, MENU
from tests.core.test_kernel_images import linux_image

CUSTOM = "if [ -f ${config_directory}/custom.cfg ]; then\n  source x\nfi\n"
NAMES = ("vmlinuz-6.1.0-9", "initrd.img-6.1.0-9", "early.img", "vmlinuz-5.19.0-4")


@pytest.fixture
def machine(tmp_path):
    """A tree with GRUB's menu and the kernels that it names."""
    files = {f"boot/{name}": name.encode() for name in NAMES}
    files["boot/grub/grub.cfg"] = (MENU + CUSTOM).encode()
    files["boot/grub/grubenv"] = write_environment({})
    for path, content in files.items():
        place = tmp_path / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(content)
    return TreeMachine("lab", tmp_path)


def test_what_fits_together_has_no_faults(machine):
    loader = read_loader(machine)
    assert (loader.kind, loader.default, loader.once) == ("grub", "quayside-simple", "")
    assert loader.remembers == "/boot/grub/grubenv" and loader.faults == ()
    names = [(link.name, link.value) for link in boot_chain(loader, "GRUB", "bios")]
    assert names == [
        ("firmware", "a PC's BIOS"),
        ("boot loader", "GRUB"),
        ("entry", "Quayside"),
        ("kernel", "6.1.0-9"),
        ("root", "UUID=4f2e"),
    ]


def test_each_fault_is_told_with_whether_it_is_what_boots_next(machine):
    machine.files.remove("/boot/initrd.img-6.1.0-9")
    machine.files.remove("/boot/vmlinuz-5.19.0-4")
    machine.files.write("/boot/grub/grubenv", b"short")
    found = {(fault.kind, fault.next_boot) for fault in read_loader(machine).faults}
    assert found == {(BLOCK, False), (INITRD, True), (IMAGE, False)}
    machine.files.write("/boot/grub/grubenv", write_environment({"next_entry": "gone"}))
    (fault, *_) = read_loader(machine).faults
    assert fault.kind == CHOICE and "gone is to be booted" in fault.words


def test_a_trial_is_read_as_what_boots_once_and_leaves_no_trace(machine):
    before = {path: machine.files.read(path, 9999) for path in machine.files.below("/boot")}
    machine.files.write("/boot/grub/custom.cfg", b"# mine\n")
    good = "quayside-advanced>rescue-5.19"
    for _ in range(2):
        grub_writing.arm(machine, "quayside-simple", good, "t")
    loader = read_loader(machine)
    assert (loader.once, loader.default) == (TRIAL_ID, good)
    assert next_entry(loader).option("brave_bridge.trial") == "t"
    assert "as a trial; then" in boot_chain(loader, "GRUB", "efi")[2].because
    machine.files.write("/boot/grub/grubenv", write_environment({MARK: "0"}))
    assert read_loader(machine).once == "" and next_entry(read_loader(machine)).id == good
    assert grub_writing.disarm(machine)
    assert machine.files.read("/boot/grub/custom.cfg", 99) == b"# mine\n"
    machine.files.remove("/boot/grub/custom.cfg")
    after = {path: machine.files.read(path, 9999) for path in machine.files.below("/boot")}
    assert after == before


def test_another_kernel_is_made_the_default_only_where_it_is_not(machine):
    assert "own default" in make_default(machine, "6.1.0-9")
    assert not machine.files.is_file("/boot/grub/custom.cfg")
    assert "custom.cfg" in make_default(machine, "5.19.0-4")
    assert next_entry(read_loader(machine)).kernel == "5.19.0-4"
    with pytest.raises(MachineError, match="no entry"):
        make_default(machine, "4.0")


def test_a_damaged_block_is_not_written_over(machine):
    machine.files.write("/boot/grub/grubenv", b"what is this")
    with pytest.raises(MachineError, match="grubenv") as refused:
        grub_writing.arm(machine, "quayside-simple", "0", "t")
    assert "grub-editenv" in refused.value.remedy
    assert machine.files.read("/boot/grub/grubenv", 99) == b"what is this"
    assert not machine.files.is_file("/boot/grub/custom.cfg")


def test_other_loaders_say_what_they_boot(machine):
    machine.files.remove("/boot/grub/grub.cfg")
    machine.files.write("/boot/extlinux/extlinux.conf", EXTLINUX.encode())
    loader = read_loader(machine)
    assert (loader.kind, loader.default) == ("extlinux", "quay-6.1")
    entry = b"title Quay\nversion 6.1.0-9\nlinux /vmlinuz-6.1.0-9\n"
    machine.files.write("/boot/loader/entries/quay+2-1.conf", entry)
    machine.files.write("/boot/loader/loader.conf", b"default quay*\n")
    loader = read_loader(machine)
    assert (loader.kind, loader.default) == ("systemd-boot", "quay.conf") and not loader.faults
    machine.files.write("/boot/loader/loader.conf", b"default gone*\n")
    (fault,) = read_loader(machine).faults
    assert "gone*" in fault.words


ENTRY = "title Quay\nversion {0}\nlinux /vmlinuz-{0}\noptions root=LABEL=system\n"


@pytest.fixture
def counting(tmp_path):
    """A tree with entries in files, of which loader.conf names the newer one."""
    machine = TreeMachine("lab", tmp_path)
    for kernel in ("6.1.0-9", "5.19.0-4"):
        machine.files.write(f"/boot/vmlinuz-{kernel}", b"image")
        machine.files.write(f"/boot/loader/entries/{kernel}.conf", ENTRY.format(kernel).encode())
    machine.files.write("/boot/loader/loader.conf", b"timeout 3\ndefault 6.1*\n")
    return machine


def entries_of(machine) -> dict:
    return {entry.id: entry for entry in read_loader(machine).entries}


def test_an_entry_is_tried_by_counting_and_nothing_is_left_of_it(counting):
    before = {path: counting.files.read(path, 999) for path in counting.files.below("/boot")}
    for _ in range(2):
        known = entries_of(counting)
        systemd_boot_writing.arm(counting, known["6.1.0-9.conf"], known["5.19.0-4.conf"], "leg-1")
    loader = read_loader(counting)
    assert (loader.once, loader.default) == ("brave-bridge-trial.conf", "brave-bridge-good.conf")
    assert next_entry(loader).options == "root=LABEL=system panic=10 brave_bridge.trial=leg-1"
    assert "default" not in counting.files.read("/boot/loader/loader.conf", 99).decode().split("\n")
    folder = "/boot/loader/entries"
    counting.files.move(
        f"{folder}/brave-bridge-trial+1.conf", f"{folder}/brave-bridge-trial+0-1.conf"
    )
    loader = read_loader(counting)
    assert loader.once == "" and next_entry(loader).kernel == "5.19.0-4"
    assert systemd_boot_writing.disarm(counting) and not systemd_boot_writing.disarm(counting)
    after = {path: counting.files.read(path, 999) for path in counting.files.below("/boot")}
    assert after == before


def test_a_kernel_is_made_the_default_by_the_loaders_own_settings(counting):
    assert "own default" in make_default(counting, "6.1.0-9")
    make_default(counting, "5.19.0-4")
    assert next_entry(read_loader(counting)).kernel == "5.19.0-4"
    text = counting.files.read("/boot/loader/loader.conf", 99)
    assert text == b"timeout 3\ndefault 5.19.0-4.conf\n"


def test_images_are_known_by_what_they_say_where_their_name_is_no_version(machine):
    words = linux_image(b"6.11.2-drift1 (builder@driftline.example)")
    machine.files.write("/boot/vmlinuz-drift", words)
    machine.files.write("/boot/kernel-6.6.31", b"an image")
    menu = machine.files.read("/boot/grub/grub.cfg", 100_000).decode()
    menu = menu.replace("vmlinuz-5.19.0-4", "vmlinuz-drift")
    machine.files.write("/boot/grub/grub.cfg", menu.encode())
    machine.files.write("/etc/os-release", b"ID=driftline\n")
    facts = survey(machine, "none")
    assert {kernel.version for kernel in facts.kernels} >= {"6.11.2-drift1", "6.6.31", "6.1.0-9"}
    assert "6.11.2-drift1" in {entry.kernel for entry in facts.loader.entries}


@pytest.mark.parametrize("loader", ["grub", "board", "none"])
def test_settings_are_looked_for_whichever_loader_is_there(machine, loader):
    if loader != "grub":
        machine.files.remove("/boot/grub/grub.cfg")
    if loader == "board":
        machine.files.write("/boot/firmware/config.txt", b"arm_64bit=1\n")
    machine.files.write("/etc/os-release", b"ID=driftline\n")
    places = survey(machine, "none").boot_settings_in
    assert {"/etc/default/grub", "/etc/grub.d/", "/etc/kernel/", "/boot/"} <= set(places)
