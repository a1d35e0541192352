"""A boot loader of another kind is one object: all that is done with a loader works with it."""

import msgspec
import pytest

from brave_bridge.bootloaders import past_systems, trials
from brave_bridge.bootloaders.known import LOADERS, boot_loader, read_loader
from brave_bridge.bootloaders.loader import BootLoader
from brave_bridge.bootloaders.settings import places
from brave_bridge.core.boot.chain import boot_chain
from brave_bridge.core.boot.entries import TRIAL_ID, BootEntry, Loader
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.boot.trial_way import comes_back
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Contents
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.boot.booting import boot_seen
from tests.core.test_rules import judged
from tests.support.facts import facts

SLATE = "/boot/slate"
OLD, NEW = "5.19.0-4", "6.6.0-1"
PAST = PastSystem(way_back="w-1", subvolume="past/w-1", name="@", kernel=OLD)


class Slate(BootLoader):
    """Boots what the first line of a slate names; a second line is booted once, instead."""

    kind, called = "slate", "the Slate"
    settings = ("/etc/slate/",)
    queries = (Contents((SLATE,)),)

    def is_there(self, seen):
        return SLATE in seen.contents

    def read(self, seen):
        lines = (seen.text(SLATE) or "").split()
        entries = tuple(
            BootEntry(f"Linux {kernel}", kernel, id=kernel, image=f"/boot/vmlinuz-{kernel}")
            for kernel in (OLD, NEW)
        )
        return Loader(self.kind, entries, lines[0], next(iter(lines[1:]), ""), SLATE)

    def way(self, facts):
        return comes_back(self.called, "a second line")

    def menu_words(self, firmware):
        return "Read the slate."

    def arm(self, machine, facts, once):
        machine.files.write(SLATE, f"{once.good.id}\n{once.chosen.id}\n".encode())
        return SLATE

    def disarm(self, machine):
        lines = (machine.files.read_if_there(SLATE, 1000) or b"").split(b"\n")
        if len(lines) < 3:
            return False
        machine.files.write(SLATE, lines[0] + b"\n")
        return True

    def pin(self, machine, entry):
        machine.files.write(SLATE, f"{entry.id}\n".encode())
        return SLATE


@pytest.fixture
def machine(tmp_path, monkeypatch):
    monkeypatch.setitem(LOADERS, Slate.kind, Slate())
    made = TreeMachine("lab", tmp_path)
    for kernel in (OLD, NEW):
        made.files.write(f"/boot/vmlinuz-{kernel}", b"image")
    made.files.write(SLATE, f"{OLD}\n".encode())
    return made


def known(machine):
    boot = msgspec.structs.replace(facts().boot, kernel=OLD)
    return facts(loader=read_loader(machine), boot=boot)


def test_it_is_read_tried_and_pinned(machine):
    once, way = trials.arrange(machine, known(machine), NEW, "leg-1")
    assert (once.chosen.kernel, once.good.kernel) == (NEW, OLD) and "the Slate forgets" in way.fails
    assert (read_loader(machine).default, read_loader(machine).once) == (OLD, NEW)
    assert trials.end(machine) and not trials.end(machine)
    assert SLATE in trials.make_default(machine, NEW)
    assert read_loader(machine).default == NEW


def test_it_is_shown_and_judged_by_its_own_words(machine):
    seen = known(machine)
    chain = boot_seen(seen).chain
    assert chain == boot_chain(seen.loader, "the Slate", seen.boot.firmware)
    assert chain[1].value == "the Slate" and chain[2].value == f"Linux {OLD}"
    assert boot_loader(seen.loader).menu_words("efi") == "Read the slate."
    assert "/etc/slate/" in places()
    machine.files.remove(f"/boot/vmlinuz-{OLD}")
    finding = next(f for f in judged(loader=read_loader(machine)) if f.id == "boot-entries")
    assert f"vmlinuz-{OLD} is not in /boot" in finding.title


def test_what_it_cannot_do_is_said(machine):
    loader = read_loader(machine)
    assert "GRUB, systemd-boot" in past_systems.why_not_offered(loader, PAST)
    assert past_systems.offer(machine, loader, []) == ""
    with pytest.raises(MachineError, match="none whose menu can be added to"):
        past_systems.offer(machine, loader, [PAST])
    assert TRIAL_ID not in machine.files.read(SLATE, 100).decode()


def test_nothing_is_pinned_where_no_loader_is_known(tmp_path):
    bare = TreeMachine("lab", tmp_path)
    with pytest.raises(MachineError, match="no entry of the boot menu"):
        trials.make_default(bare, NEW)
    with pytest.raises(MachineError, match="nothing here tells its boot loader"):
        BootLoader().pin(bare, BootEntry("new", NEW))
