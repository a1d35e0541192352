"""A trial of EXTLINUX on a machine whose tool fails, or is not there any more."""

import struct

import pytest

from brave_bridge.bootloaders import extlinux_writing
from brave_bridge.core.boot.entries import TRIAL_ID
from brave_bridge.core.boot.extlinux import FOLDER, MENU, read_extlinux
from brave_bridge.core.formats.marked_part import part_in
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import MachineError

TEXT = """DEFAULT new
LABEL new
  LINUX /boot/vmlinuz-6.6.0-1
LABEL old
  LINUX /boot/vmlinuz-6.1.0-1
"""
TOOL = "/usr/bin/extlinux"


def loader(once: str = "") -> bytes:
    """The end of ldlinux.sys, with what is booted once."""
    tags = struct.pack("BB", 1, len(once)) + once.encode() if once else b""
    words = struct.unpack("<125I", tags.ljust(500, b"\0"))
    checksum = (0xA3041767 - sum(words)) % (1 << 32)
    return struct.pack("<128I", 0x5A2D2FA5, checksum, *words, 0xDD28BF64) * 2


@pytest.fixture
def machine(tmp_path, monkeypatch):
    """A machine whose tool does what it is told to, and notes it; ``fails`` makes it refuse."""
    made = FolderMachine("heron", tmp_path)
    made.files.write(MENU, TEXT.encode())
    made.files.write(extlinux_writing.LOADER, loader())
    made.files.write(TOOL, b"")
    made.fails = False

    def hand(argv, secret, limit_seconds):
        if made.fails:
            return 1, b"extlinux: read-only file system\n"
        once = argv[1].removeprefix("--once=") if "=" in argv[1] else ""
        made.files.write(extlinux_writing.LOADER, loader(once))
        return 0, b""

    monkeypatch.setattr(made.jobs, "hand", hand)
    return made


def menu(machine) -> str:
    return machine.files.read(MENU, 10_000).decode()


def arm(machine) -> str:
    new, old = read_extlinux(TEXT).entries
    return extlinux_writing.arm(machine, TOOL, new, old, "leg-1")


def test_a_trial_is_arranged_and_ended(machine):
    arm(machine)
    assert read_extlinux(menu(machine)).default == "old" and part_in(menu(machine))
    assert extlinux_writing.disarm(machine) and menu(machine) == TEXT
    assert not extlinux_writing.disarm(machine)


def test_a_trial_that_could_not_be_chosen_leaves_the_menu_as_it_was(machine):
    machine.fails = True
    with pytest.raises(MachineError, match="read-only"):
        arm(machine)
    assert menu(machine) == TEXT


def test_what_is_still_to_be_booted_once_is_not_taken_out_of_the_menu(machine):
    arm(machine)
    machine.files.remove(TOOL)
    with pytest.raises(MachineError, match="not here") as told:
        extlinux_writing.disarm(machine)
    assert told.value.remedy == "install the package extlinux"
    assert TRIAL_ID in menu(machine)
    machine.files.write(extlinux_writing.LOADER, loader())
    assert extlinux_writing.disarm(machine) and menu(machine) == TEXT


def test_files_that_include_each_other_end(machine):
    machine.files.write(f"{FOLDER}/a.cfg", b"include b.cfg\ninclude b.cfg\n" * 2000)
    machine.files.write(f"{FOLDER}/b.cfg", b"include a.cfg\ninclude a.cfg\n" * 2000)
    others = extlinux_writing.texts_beside(machine.files.gather(extlinux_writing.QUERIES).contents)
    found = read_extlinux(f"{TEXT}include a.cfg\n", others)
    assert [entry.id for entry in found.entries] == ["new", "old"]
