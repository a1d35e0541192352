"""GRUB without a trial, and what cannot be tried: what the others are held against."""

import pytest

from brave_bridge.core.boot.grub_menu import read_grub_menu
from brave_bridge.core.boot.grub_trial import trial_part
from tests.support import bootlab


def lay(folder, **entries):
    """A tree with that menu."""

    def prepare(tree):
        kernel = bootlab.kernel_of(tree)
        (tree / "boot/grub/grub.cfg").write_text(bootlab.menu(kernel, **entries))

    return bootlab.bios_on_ext4(folder, prepare)


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
