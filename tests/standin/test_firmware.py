"""What an EFI firmware starts: read, chosen for one boot alone, and as ever behind it."""

import struct

import pytest

from brave_bridge.machines.standin import live
from brave_bridge.workbench.boot.booting import (
    begin_starting_as_ever,
    begin_starting_other,
    boot_seen,
)
from brave_bridge.workbench.refusal import Refused
from tests.standin.test_kernels import carried_out

VARIABLE = "sys/firmware/efi/efivars/{}-8be4df61-93ca-11d2-aa0d-00e098032b8c"


@pytest.fixture
def begun(monkeypatch):
    """Carry out at once what a desk begins; its outcomes."""
    outcomes = []

    def begin(desk, kind, title, brief, unattended):
        outcomes.append(carried_out(desk, brief, f"{kind}-{len(outcomes)}"))
        return kind

    monkeypatch.setattr("brave_bridge.workbench.boot.booting.begin", begin)
    return outcomes


def test_another_system_is_started_once_and_the_boot_after_is_as_ever(stand_in, begun):
    desk = stand_in("gannet")
    ours, rescue = desk.facts().boot.options
    assert (ours.title, ours.place, ours.current, ours.file) == (
        "Quayside",
        1,
        True,
        "\\EFI\\quayside\\loader.efi",
    )
    assert boot_seen(desk.facts()).chain[0].value == "EFI: Quayside"
    begin_starting_other(desk, "Harbour rescue")
    assert begun[-1].state == "done"
    content = (desk.machine.root / VARIABLE.format("BootNext")).read_bytes()
    assert struct.unpack("<IH", content) == (7, rescue.number)
    chain = boot_seen(desk.facts()).chain
    assert chain[0].value == "EFI: Harbour rescue" and "next boot alone" in chain[0].because
    live.restart(desk.machine.root)
    assert boot_seen(desk.facts()).chain[0].value == "EFI: Quayside"


def test_a_choice_is_taken_back(stand_in, begun):
    desk = stand_in("gannet")
    with pytest.raises(Refused, match="nothing is chosen"):
        begin_starting_as_ever(desk)
    begin_starting_other(desk, "0001")
    begin_starting_as_ever(desk)
    assert begun[-1].state == "done"
    assert not (desk.machine.root / VARIABLE.format("BootNext")).exists()


def test_what_cannot_be_started_is_refused(stand_in, begun):
    desk = stand_in("gannet")
    with pytest.raises(Refused, match="0000 Quayside, 0001 Harbour rescue"):
        begin_starting_other(desk, "0009")
    (desk.machine.root / "usr/bin/efibootmgr").unlink()
    with pytest.raises(Refused, match="efibootmgr is missing"):
        begin_starting_other(desk, "0001")
    with pytest.raises(Refused, match="tells nothing"):
        begin_starting_other(stand_in("avocet"), "0001")
    # What is damaged among them is left out.
    (desk.machine.root / VARIABLE.format("Boot0001")).write_bytes(b"\x07\0\0\0\x01")
    assert [one.title for one in desk.facts().boot.options] == ["Quayside"]
    assert not begun
