"""GRUB on btrfs, where it cannot write: refused, and what is set up instead really holds."""

import msgspec
import pytest

from brave_bridge.bootloaders import trials
from brave_bridge.core.boot.grub_environment import read_environment
from brave_bridge.core.boot.grub_trial import MARK, TRIAL_ID
from brave_bridge.core.survey.platform import LastBoot
from brave_bridge.families.registry import survey
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.tree import TreeMachine
from tests.bootlab.test_arranged_by_us import NEWER, image_of, two_kernels
from tests.support import bootlab

MARK_FILE = "/EFI/brave-bridge/trial.env"


def facts_of(machine: TreeMachine):
    facts = survey(machine, "deb")
    older = min(entry.kernel for entry in facts.loader.entries if entry.id != TRIAL_ID)
    return msgspec.structs.replace(facts, last_boot=LastBoot(kernel=older)), older


def test_a_panicking_trial_falls_back_by_a_mark_on_the_efi_partition(tmp_path):
    disk = bootlab.bios_on_btrfs(tmp_path, two_kernels)
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        facts, older = facts_of(machine)
        without = msgspec.structs.replace(facts, expected_mounts=facts.expected_mounts[:1])
        way = trials.way_of(without)
        assert "btrfs" in way.refusal and any("UUID" in words for words in way.instead)
        with pytest.raises(MachineError, match="permanent"):
            trials.arrange(machine, without, NEWER, "leg-1")
        trials.arrange(machine, facts, NEWER, "leg-1")
        assert survey(machine, "deb").loader.once == TRIAL_ID
        bootlab.panic_soon(root / "boot/grub/custom.cfg")
        disk.put_on_fat(root, MARK_FILE)
        (root / f"boot/initrd.img-{NEWER}").write_bytes(b"damaged" * 1000)
    booted = disk.boot()
    assert [NEWER in one for one in booted.starts] == [True, False] and "panic" in booted.console
    assert image_of(booted) == f"vmlinuz-{older}"
    assert read_environment(disk.on_fat(MARK_FILE))[MARK] == "0"
    with disk.opened() as root:
        machine = TreeMachine("lab", root)
        assert trials.end(machine)
        assert not (root / "boot/efi/EFI/brave-bridge").exists()
        assert not (root / "boot/grub/custom.cfg").exists()
