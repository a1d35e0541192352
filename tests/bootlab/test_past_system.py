"""A way back that the boot menu offers: started once, beside the system of now, and kept."""

import json
import shutil
import subprocess
from pathlib import Path

import pytest

from brave_bridge.core.boot.past_entry import PAST_ID
from tests.bootlab.test_arranged_by_us import NEWER, image_of
from tests.support import bootlab
from tests.support.commands import run_command

MARK_FILE = "/EFI/brave-bridge/trial.env"
RELEASE = Path("usr/lib/os-release")


def menu_of(kernel: str) -> str:
    """The menu of a system in the subvolume ``@``, as GRUB's own program writes it."""
    text = bootlab.menu(kernel, now="rootflags=subvol=@")
    return text.replace(" /boot/", " /@/boot/")


def older_system(tree: Path) -> None:
    (tree / "boot/grub/grub.cfg").write_text(menu_of(bootlab.kernel_of(tree)))


def cross(root: Path) -> str:
    """What a leg does, as far as a boot can tell: another kernel, another release; the old one."""
    older = bootlab.kernel_of(root)
    for name in ("vmlinuz", "initrd.img"):
        shutil.move(root / f"boot/{name}-{older}", root / f"boot/{name}-{NEWER}")
    (root / "boot/grub/grub.cfg").write_text(menu_of(NEWER))
    text = (root / RELEASE).read_text()
    (root / RELEASE).write_text(text.replace('VERSION_ID="12"', 'VERSION_ID="13"'))
    return older


def bridge(root: Path, *words: str, expected: int = 0) -> dict:
    """A command on the mounted tree; its document."""
    done = run_command(["--tree", str(root), *words, "--json"])
    assert done.returncode == expected, done.stdout + done.stderr
    return json.loads(done.stdout[done.stdout.index("{") :]) if "{" in done.stdout else {}


def came_up(disk: bootlab.Disk) -> tuple[str, str, str]:
    """What a boot came to: release, kernel, and the subvolume that was its root."""
    booted = disk.boot()
    assert booted.came_up, booted.console[-2000:]
    options = booted.came_up.options.split()
    root = next(word for word in options if word.startswith("rootflags=subvol="))
    return booted.came_up.release, image_of(booted), root.removeprefix("rootflags=subvol=")


@pytest.fixture
def disk(tmp_path):
    return bootlab.bios_on_subvolume(tmp_path, older_system)


def test_a_return_by_boot_entry_is_started_and_kept(disk):
    with disk.opened("@") as root:
        taken = bridge(root, "snapshot", "--reason", "before the leg")
        way_back = bridge(root, "ways-back")["ways_back"][0]["id"]
        older = cross(root)
        bridge(root, "boot-menu", way_back)
        (offered,) = bridge(root, "boot-menu")["systems"]
        assert offered["kernel"] == older and not offered["running"], taken
        seen = bridge(root, "kernels")
        assert not seen["faults"]
        past = offered["subvolume"]
        assert past == f"@.as-of-{way_back}"
        menu = (root / "boot/grub/custom.cfg").read_text()
        assert PAST_ID in menu and f"/{past}/boot/vmlinuz-{older}" in menu
        bridge(root, "boot-menu", way_back, "--once", "--yes")
        disk.put_on_fat(root, MARK_FILE)
    old, new = ("12", f"vmlinuz-{older}", past), ("13", f"vmlinuz-{NEWER}", "@")
    assert [came_up(disk), came_up(disk)] == [old, new]
    with disk.opened(past) as root:
        state = root / "var/lib/brave-bridge"
        fstab = (root / "etc/fstab").read_text()
        assert "/var/lib/brave-bridge btrfs subvol=@/var/lib/brave-bridge,nofail" in fstab
        device = subprocess.run(
            ["findmnt", "-no", "SOURCE", root], capture_output=True, text=True, check=True
        ).stdout.partition("[")[0]
        subprocess.run(
            ["mount", "-o", "subvol=@/var/lib/brave-bridge", device.strip(), state], check=True
        )
        found = bridge(root, "survey", "--all")
        (finding,) = [f for f in found["findings"] if f["id"] == "past-system"]
        assert finding["verdict"] == "stop" and way_back in finding["title"]
        bridge(root, "snapshot", "--reason", "here", expected=1)
        bridge(root, "keep-past", "--yes")
        assert not (root / ".brave-bridge-past").exists()
        assert "brave-bridge" not in (root / "etc/fstab").read_text()
        assert bridge(root, "ways-back")["ways_back"][0]["id"] == way_back
    assert came_up(disk) == ("12", f"vmlinuz-{older}", "@")
    with disk.opened("@") as root:
        listed = bridge(root, "ways-back")
        assert [one["id"] for one in listed["ways_back"]] == [way_back]
        (aside,) = listed["set_aside"]
        assert aside["id"].startswith("@.before-return-")
        assert bridge(root, "boot-menu")["systems"] == []
