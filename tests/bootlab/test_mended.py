"""A boot menu that is at fault: found by the survey, mended on the record, and booted."""

import subprocess
from collections.abc import Callable
from pathlib import Path

from brave_bridge.core.survey.findings import Verdict
from brave_bridge.runner.briefs import RemedyBrief, script_of
from brave_bridge.runner.inline import drive
from brave_bridge.runner.performer import Performer
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import bootlab

SETTINGS = f"""GRUB_DEFAULT=saved
GRUB_TIMEOUT=0
GRUB_DISTRIBUTOR=Lab
GRUB_CMDLINE_LINUX="{bootlab.OPTIONS}"
GRUB_TERMINAL=serial
GRUB_SERIAL_COMMAND="serial --unit=0"
GRUB_DISABLE_OS_PROBER=true
"""


def without_initrd(root: Path) -> None:
    (root / f"boot/initrd.img-{bootlab.kernel_of(root)}").unlink()


def with_a_damaged_block(root: Path) -> None:
    (root / "boot/grub/grubenv").write_bytes(b"torn off at a power cut")


def with_an_entry_of_a_kernel_that_is_gone(root: Path) -> None:
    menu = root / "boot/grub/grub.cfg"
    kernel = bootlab.kernel_of(root)
    menu.write_text(menu.read_text().replace(kernel, "6.1.0-99-gone"))


def with_a_default_that_is_no_entry(root: Path) -> None:
    argv = ["grub-editenv", root / "boot/grub/grubenv", "set", "saved_entry=gone-with-a-leg"]
    subprocess.run(argv, check=True)


FAULTS: tuple[tuple[Callable[[Path], None], str], ...] = (
    (without_initrd, "initrd.img"),
    (with_a_damaged_block, "block"),
    (with_an_entry_of_a_kernel_that_is_gone, "vmlinuz-6.1.0-99-gone"),
    (with_a_default_that_is_no_entry, "gone-with-a-leg"),
)
"""What breaks a menu, and the word that names it."""


def finding_of(desk: Desk):
    found = {finding.id: finding for finding in desk.survey().findings}
    return found["boot-entries"]


def mended(desk: Desk, finding, name: str):
    brief = RemedyBrief(finding.title, finding.fix, "deb")
    return drive(script_of(brief), Performer(desk.machine, "deb", desk.beside, name))


def prepare(root: Path) -> None:
    """A menu of the system's own program, once the disk is made."""
    (root / "etc/default").mkdir(exist_ok=True)
    (root / "etc/default/grub").write_text(SETTINGS)
    (root / "boot/grub/grub.cfg").write_text(bootlab.menu(bootlab.kernel_of(root), good=""))


def test_what_keeps_it_from_booting_is_found_mended_and_booted(tmp_path):
    disk = bootlab.bios_on_ext4(tmp_path, prepare)
    with disk.opened() as root:
        desk = Desk(Target("tree", str(root)))
        performer = Performer(desk.machine, "deb", desk.beside, "made")
        made = RemedyBrief("made", (("grub-mkconfig", "-o", "/boot/grub/grub.cfg"),), "deb")
        assert drive(script_of(made), performer).state == "done"
        assert finding_of(desk).verdict is Verdict.CLEAR
        for number, (break_it, word) in enumerate(FAULTS):
            break_it(root)
            finding = finding_of(desk)
            assert finding.verdict in (Verdict.STOP, Verdict.CAUTION), finding
            assert word in finding.evidence and finding.fix
            outcome = mended(desk, finding, f"mended-{number}")
            assert outcome.state == "done", outcome
            assert finding_of(desk).verdict is Verdict.CLEAR
    # What was mended is all of it there: the initrd, the block, the menu and its default.
    came_up = disk.boot().came_up
    assert came_up is not None and came_up.release == "12"
