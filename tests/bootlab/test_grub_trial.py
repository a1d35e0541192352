"""GRUB, by really booting: an entry is tried once, whatever becomes of it."""

import pytest

from brave_bridge.core.boot.grub_environment import read_environment, write_environment
from brave_bridge.core.boot.grub_menu import read_grub_menu
from brave_bridge.core.boot.grub_trial import MARK, ON_TRIAL, trial_part
from brave_bridge.core.boot.marked_part import with_part, without_part
from tests.support import bootlab


def lay(folder, **entries):
    """A tree with that menu."""

    def prepare(tree):
        kernel = bootlab.kernel_of(tree)
        (tree / "boot/grub/grub.cfg").write_text(bootlab.menu(kernel, **entries))

    return bootlab.bios_on_ext4(folder, prepare)


def arm(disk, chosen: str, good: str) -> None:
    """Put a trial into the loader's own commands and its block."""
    with disk.opened() as root:
        grub = root / "boot/grub"
        text = (grub / "grub.cfg").read_text()
        part = trial_part(text, read_grub_menu(text), chosen, good, "lab-1", panic_seconds=2)
        (grub / "custom.cfg").write_text(with_part("", part))
        block = (grub / "grubenv").read_bytes()
        (grub / "grubenv").write_bytes(
            write_environment({**read_environment(block), MARK: "1"}, block)
        )


def test_a_chosen_entry_boots_once_and_then_the_good_one_again(tmp_path):
    disk = lay(tmp_path, newest="which=newest", good="which=good", other="which=other")
    arm(disk, "other", "good")
    first, second = disk.boot(), disk.boot()
    assert "which=other" in first.came_up.options and f"{ON_TRIAL}=lab-1" in first.came_up.options
    assert "which=good" in second.came_up.options and ON_TRIAL not in second.came_up.options
    with disk.opened() as root:
        assert read_environment((root / "boot/grub/grubenv").read_bytes())[MARK] == "0"
        custom = root / "boot/grub/custom.cfg"
        custom.write_text(without_part(custom.read_text()))
    assert "which=newest" in disk.boot().came_up.options, "the menu's own default holds again"


def test_a_trial_that_panics_is_followed_by_the_good_one_with_nobody_there(tmp_path):
    disk = lay(tmp_path, newest="which=newest rdinit=/nothing", good="which=good")
    arm(disk, "newest", "good")
    booted = disk.boot()
    assert "Kernel panic" in booted.console
    assert [("which=newest" in one, "which=good" in one) for one in booted.starts] == [
        (True, False),
        (False, True),
    ]
    assert "which=good" in booted.came_up.options


def test_without_a_trial_an_entry_that_panics_is_never_left(tmp_path):
    disk = lay(tmp_path, newest="which=newest rdinit=/nothing panic=1", good="which=good")
    booted = disk.boot(patience=30)
    assert booted.came_up is None and len(booted.starts) > 1
    assert all("which=newest" in one for one in booted.starts)


@pytest.mark.parametrize("choice", ["gone", "good>gone"])
def test_what_the_menu_has_not_cannot_be_tried(choice):
    text = bootlab.menu("6.1.0-9", good="which=good")
    with pytest.raises(ValueError, match="no entry"):
        trial_part(text, read_grub_menu(text), choice, "good", "lab-1")
