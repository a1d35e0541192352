"""Whoever arranges what boots may be killed at each of its own writes: what boots stays good."""

import msgspec
import pytest

from brave_bridge.bootloaders import grub_writing, past_systems, systemd_boot_writing, trials
from brave_bridge.bootloaders.known import read_loader
from brave_bridge.core.boot.counted_trial import GOOD_NAME, TRIAL_FILE
from brave_bridge.core.boot.entries import PAST_ID, TRIAL_ID
from brave_bridge.core.boot.grub_environment import write_environment
from brave_bridge.core.boot.grub_menu import read_grub_menu
from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.formats.proc import Mount
from brave_bridge.machines.memory import MemoryMachine
from tests.bootloaders.test_reading import CUSTOM, NAMES
from tests.core.test_boot_files import MENU
from tests.support.facts import facts

GOOD = "quayside-simple"
OTHER = next(entry.id for entry in read_grub_menu(MENU).entries if entry.kernel == "5.19.0-4")
CHANGES = ("write", "remove", "remove_folder")
NEW = "title New\nversion 6.1.0-9\nlinux /vmlinuz-6.1.0-9\noptions root=/dev/sda2 ro\n"
OLD = NEW.replace("New", "Old").replace("6.1.0-9", "5.19.0-4")
PAST = PastSystem(
    way_back="w-1", subvolume="@.as-of-w-1", name="@", kernel="6.1.0-9", kernels=("6.1.0-9",)
)


class CutOff(Exception):
    """The process was killed right then."""


def killed_after(machine: MemoryMachine, changes: int) -> None:
    """Let that many changes to files come through, and no more."""
    left = [changes]
    for name in CHANGES:
        method = getattr(machine.files, name)

        def counted(*words, method=method):
            if left[0] == 0:
                raise CutOff
            left[0] -= 1
            return method(*words)

        setattr(machine.files, name, counted)


def healed(machine: MemoryMachine) -> None:
    for name in CHANGES:
        delattr(machine.files, name)


def with_grub() -> MemoryMachine:
    files = {f"/boot/{name}": name.encode() for name in NAMES}
    files["/boot/grub/grub.cfg"] = (MENU + CUSTOM).encode()
    files["/boot/grub/grubenv"] = write_environment({"mine": "1"})
    files["/boot/grub/custom.cfg"] = b"# the administrator's own\n"
    return MemoryMachine("heron", files)


def with_systemd_boot() -> MemoryMachine:
    files = {f"/boot/{name}": name.encode() for name in NAMES}
    files["/boot/loader/entries/new.conf"] = NEW.encode()
    files["/boot/loader/entries/old.conf"] = OLD.encode()
    files["/boot/loader/loader.conf"] = b"default old.conf\ntimeout 3\n"
    return MemoryMachine("heron", files)


def each_cut(make, deed):
    """The machine cut off after none, one, two … of its changes; the last one whole."""
    for changes in range(12):
        machine = make()
        killed_after(machine, changes)
        try:
            deed(machine)
        except CutOff:
            healed(machine)
            yield machine, changes, False
        else:
            healed(machine)
            assert changes > 1
            yield machine, changes, True
            return
    raise AssertionError("it never ended")


def boots_next(machine: MemoryMachine) -> str:
    entry = next_entry(read_loader(machine))
    assert entry is not None
    return entry.id


def test_grubs_trial_is_armed_whole_or_not_at_all():
    def arm(machine):
        grub_writing.arm(machine, OTHER, GOOD, "leg-1")

    for machine, _, ended in each_cut(with_grub, arm):
        loader = read_loader(machine)
        assert (loader.once == TRIAL_ID) is ended
        assert loader.default == GOOD and not loader.faults
        grub_writing.arm(machine, OTHER, GOOD, "leg-1")
        assert read_loader(machine).once == TRIAL_ID
        assert grub_writing.disarm(machine)
        assert machine.files.read("/boot/grub/custom.cfg", 999) == b"# the administrator's own\n"


def armed() -> MemoryMachine:
    machine = with_grub()
    grub_writing.arm(machine, OTHER, GOOD, "leg-1")
    return machine


def test_grubs_trial_ends_whole_or_can_be_ended_again():
    for machine, changes, ended in each_cut(armed, grub_writing.disarm):
        assert boots_next(machine) == (TRIAL_ID if changes == 0 and not ended else GOOD)
        grub_writing.disarm(machine)
        assert not grub_writing.disarm(machine) and boots_next(machine) == GOOD


def entries(machine: MemoryMachine):
    found = {entry.id: entry for entry in read_loader(machine).entries}
    return found["new.conf"], found["old.conf"]


def test_a_counted_trial_is_armed_whole_or_not_at_all():
    def arm(machine: MemoryMachine) -> None:
        systemd_boot_writing.arm(machine, *entries(machine), "leg-1")

    for machine, _, ended in each_cut(with_systemd_boot, arm):
        assert boots_next(machine) in ((TRIAL_FILE,) if ended else ("old.conf", GOOD_NAME))
        arm(machine)
        assert boots_next(machine) == TRIAL_FILE
        assert systemd_boot_writing.disarm(machine)
        assert boots_next(machine) == "old.conf"


def counted() -> MemoryMachine:
    machine = with_systemd_boot()
    systemd_boot_writing.arm(machine, *entries(machine), "leg-1")
    return machine


def test_a_counted_trial_ends_whole_or_can_be_ended_again():
    for machine, changes, _ in each_cut(counted, systemd_boot_writing.disarm):
        assert boots_next(machine) == ("old.conf" if changes else TRIAL_FILE)
        systemd_boot_writing.disarm(machine)
        assert boots_next(machine) == "old.conf"


@pytest.mark.parametrize("make", [with_grub, with_systemd_boot])
def test_a_past_systems_entry_never_is_what_boots_by_itself(make):
    def offer(machine: MemoryMachine) -> None:
        past_systems.offer(machine, read_loader(machine), [PAST])
        past_systems.offer(machine, read_loader(machine), [])
        past_systems.offer(machine, read_loader(machine), [PAST])

    before = boots_next(make())
    for machine, _, _ in each_cut(make, offer):
        assert boots_next(machine) == before
        offer(machine)
        assert f"{PAST_ID}w-1" in " ".join(one.id for one in read_loader(machine).entries)
        past_systems.offer(machine, read_loader(machine), [])
        assert not any(PAST_ID in entry.id for entry in read_loader(machine).entries)


def test_behind_a_past_system_is_what_boots_by_itself_now():
    machine = with_grub()
    past_systems.offer(machine, read_loader(machine), [PAST])
    here = facts()
    known = msgspec.structs.replace(
        here,
        loader=read_loader(machine),
        mounts=(Mount("/", "/dev/sda2", "ext4"),),
        boot=msgspec.structs.replace(here.boot, kernel="5.19.0-4"),
    )
    once, _ = trials.arrange(machine, known, PAST.entry, "past")
    assert (once.chosen.id, once.good.id) == (PAST.entry, GOOD)
    assert f"set default='{GOOD}'" in machine.files.read("/boot/grub/custom.cfg", 9999).decode()


def test_a_default_that_was_chosen_outlives_the_trial_of_another_system():
    machine = with_grub()
    grub_writing.pin(machine, OTHER)
    past_systems.offer(machine, read_loader(machine), [PAST])
    assert boots_next(machine) == OTHER
    grub_writing.arm(machine, PAST.entry, OTHER, "past")
    assert boots_next(machine) == TRIAL_ID
    trials.end_with_default(machine, read_loader(machine))
    assert boots_next(machine) == OTHER
