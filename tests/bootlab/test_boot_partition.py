"""A boot partition that is not mounted, and one that is full: found, mended, and booted."""

from pathlib import Path

from brave_bridge.core.survey.findings import Verdict
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import bootlab, lab


def prepare(root: Path) -> None:
    text = bootlab.menu(bootlab.kernel_of(root), good="").replace(" /boot/", " /")
    text = text.replace("--label --set=root system", "--label --set=root boot")
    (root / "boot/grub/grub.cfg").write_text(text)


def found(root: Path, rule: str):
    """What the survey of the mounted system says of a point."""
    return next(f for f in Desk(Target("tree", str(root))).survey().findings if f.id == rule)


def test_a_boot_partition_not_mounted_and_full_is_found_and_mended(tmp_path):
    disk = bootlab.bios_with_boot_partition(tmp_path, prepare)
    with disk.opened() as root:
        finding = found(root, "boot-mounted")
        assert finding.verdict is Verdict.STOP and finding.title == "/boot is not mounted"
        assert "mount /boot" in finding.remedy
        with disk.boot_partition(root):
            assert found(root, "boot-mounted").verdict is Verdict.CLEAR
            assert found(root, "boot-space").verdict is Verdict.CLEAR
            left = root / "boot/left-behind"
            left.write_bytes(b"x" * (55 << 20))
            finding = found(root, "boot-space")
            assert finding.verdict is Verdict.STOP and "/boot" in finding.title
            left.unlink()
            assert found(root, "boot-space").verdict is Verdict.CLEAR
            kernel = bootlab.kernel_of(root)
            code, told = lab.in_tree(root, "update-initramfs", "-u", "-k", kernel)
            assert code == 0, told
        assert list((root / "boot").iterdir()) == []
    came_up = disk.boot().came_up
    assert came_up is not None and came_up.kernel == kernel
