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


def prepare(tree: Path) -> None:
    """Two entries of one kernel under two versions, of which loader.conf names the newer."""
    kernel = bootlab.kernel_of(tree)
    entries = tree / "boot/efi/loader/entries"
    entries.mkdir(parents=True)
    for version, more in ((NEW, "which=new"), (OLD, "which=old")):
        text = ENTRY.format(name=f"Lab {version}", version=version, kernel=kernel)
        (entries / f"{version}.conf").write_text(f"{text}options {bootlab.OPTIONS} {more}\n")
    (tree / "boot/efi/loader/loader.conf").write_text(f"timeout 0\ndefault {NEW}.conf\n")


def test_what_is_tried_boots_once_and_the_good_one_follows_a_panic(tmp_path):
    disk = bootlab.efi_with_systemd_boot(tmp_path, prepare)
    with disk.opened() as root:
        entry = root / f"boot/efi/loader/entries/{NEW}.conf"
        entry.write_text(entry.read_text().replace("which=new", "which=new rdinit=/nothing"))
        before = kept_in(root)
        machine = TreeMachine("lab", root)
        facts = survey(machine, "deb")
        facts = msgspec.structs.replace(facts, last_boot=LastBoot(kernel=OLD))
        trials.arrange(machine, facts, NEW, "leg-1")
        bootlab.panic_soon(*(root / "boot/efi/loader/entries").glob("brave-bridge-trial*"))
        disk.put_all_on_fat(root)
    booted = disk.boot()
    assert "Kernel panic" in booted.console and "which=new" in booted.starts[0]
    assert [ON_TRIAL in one for one in booted.starts] == [True, False]
    assert "which=old" in booted.came_up.options
    assert "brave-bridge-trial+0-1.conf" in disk.fat_names("loader/entries")
    with disk.opened() as root:
        assert trials.end(TreeMachine("lab", root))
        assert kept_in(root) == before


def kept_in(root: Path) -> dict[str, bytes]:
    """The loader's files by their names, from which every boot without a trial is chosen."""
    loader = root / "boot/efi/loader"
    return {str(p.relative_to(loader)): p.read_bytes() for p in loader.rglob("*") if p.is_file()}
