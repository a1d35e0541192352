"""EXTLINUX: its menu read and its faults found; an entry tried once, by really booting."""

import shutil
from pathlib import Path

import msgspec

from brave_bridge.bootloaders import trials
from brave_bridge.bootloaders.known import read_loader
from brave_bridge.core.boot.extlinux import with_default
from brave_bridge.core.boot.grub_trial import ON_TRIAL, TRIAL_ID
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.core.survey.platform import LastBoot
from brave_bridge.families.registry import survey
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import bootlab

MENU = """# made by hand
SERIAL 0 115200
DEFAULT {default}
PROMPT 0
TIMEOUT 1
LABEL good
  MENU LABEL Tide gauge
  LINUX /boot/vmlinuz-{kernel}
  INITRD /boot/initrd.img-{kernel}
  APPEND {options}
LABEL gone
  LINUX /boot/vmlinuz-6.1.0-99-gone
  APPEND {options}
"""


def prepare(root: Path) -> None:
    kernel = bootlab.kernel_of(root)
    text = MENU.format(default="good", kernel=kernel, options=bootlab.OPTIONS)
    (root / "boot/extlinux/extlinux.conf").write_text(text)


def test_it_is_read_no_trial_is_promised_without_its_tool(tmp_path):
    disk = bootlab.bios_with_extlinux(tmp_path, prepare)
    with disk.opened() as root:
        machine, kernel = TreeMachine("lab", root), bootlab.kernel_of(root)
        loader = read_loader(machine)
        assert (loader.kind, loader.default) == ("extlinux", "good")
        assert [entry.kernel for entry in loader.entries] == [kernel, "6.1.0-99-gone"]
        way = trials.way_of(survey(machine, "deb"))
        assert way.refusal and way.instead == ("install the package extlinux",)
        found = {f.id: f for f in Desk(Target("tree", str(root))).survey().findings}
        assert found["boot-entries"].verdict is Verdict.CAUTION
        assert "vmlinuz-6.1.0-99-gone" in found["boot-entries"].evidence
        menu = root / "boot/extlinux/extlinux.conf"
        text = menu.read_text()
        menu.write_text(text.replace("DEFAULT good", "DEFAULT gone-with-a-leg"))
        found = {f.id: f for f in Desk(Target("tree", str(root))).survey().findings}
        assert found["boot-entries"].verdict is Verdict.STOP
        assert "gone-with-a-leg" in found["boot-entries"].evidence
        menu.write_text(with_default(menu.read_text(), "good"))
        assert menu.read_text() == text


NEWER = "6.6.0-9-lab"
TWO = """DEFAULT new
TIMEOUT 1
APPEND {options}
INCLUDE linux.cfg
"""
LABELS = """LABEL new
  LINUX /boot/vmlinuz-{newer}
  APPEND initrd=/boot/initrd.img-{newer} {options}
LABEL old
  LINUX /boot/vmlinuz-{older}
  INITRD /boot/initrd.img-{older}
"""


def with_two(root: Path) -> None:
    """Two kernels, of which the menu takes the newer, and the loader's own program."""
    older = bootlab.kernel_of(root)
    for name in ("vmlinuz", "initrd.img"):
        shutil.copy(root / f"boot/{name}-{older}", root / f"boot/{name}-{NEWER}")
    folder = root / "boot/extlinux"
    (folder / "extlinux.conf").write_text(TWO.format(options=bootlab.OPTIONS))
    labels = LABELS.format(newer=NEWER, older=older, options=bootlab.OPTIONS)
    (folder / "linux.cfg").write_text(labels)
    shutil.copy(bootlab.extlinux_tools() / "usr/bin/extlinux", root / "usr/bin/extlinux")


def arrange(disk: bootlab.Disk) -> str:
    """Have the newer kernel tried, as if the older one ran; what the older is called."""
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        facts = survey(machine, "deb")
        assert facts.loader.default == "new", facts.loader
        older = min(entry.kernel for entry in facts.loader.entries)
        facts = msgspec.structs.replace(facts, last_boot=LastBoot(kernel=older))
        trials.arrange(machine, facts, NEWER, "leg-1")
        loader = read_loader(machine)
        assert (loader.default, loader.once) == ("old", TRIAL_ID)
        bootlab.panic_soon(root / "boot/extlinux/extlinux.conf")
    return older


def image_of(booted) -> str:
    words = booted.came_up.options.split()
    image = next(word for word in words if word.startswith("BOOT_IMAGE="))
    return image.rpartition("/")[2]


def test_what_is_tried_boots_once_and_the_good_one_follows_a_panic(tmp_path):
    disk = bootlab.bios_with_extlinux(tmp_path, with_two)
    with disk.opened() as root:
        before = (root / "boot/extlinux/extlinux.conf").read_bytes()
        (root / f"boot/initrd.img-{NEWER}").write_bytes(b"damaged" * 1000)
    older = arrange(disk)
    booted = disk.boot()
    assert "panic" in booted.console and f"vmlinuz-{NEWER}" in booted.starts[0]
    assert [ON_TRIAL in one for one in booted.starts] == [True, False]
    assert image_of(booted) == f"vmlinuz-{older}"
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        assert read_loader(machine).once == ""
        assert trials.end(machine) and not trials.end(machine)
        assert (root / "boot/extlinux/extlinux.conf").read_bytes() == before
        assert "extlinux.conf has" in trials.make_default(machine, older)
        assert read_loader(machine).default == "old"
