"""Who a machine is, by its own files."""

import pytest

from brave_bridge.families.identify import read_identity
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.machine import StandInMachine


def machine(root, files: dict[str, bytes]) -> StandInMachine:
    for path, content in files.items():
        place = root / path.lstrip("/")
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(content)
    return StandInMachine("trial", root)


def test_the_file_in_usr_stands_in_for_a_missing_one_in_etc(tmp_path):
    text = b'ID=quayside\nVERSION_ID="7"\nVERSION_CODENAME=diamond\nVARIANT="Crew"\n'
    identity, seen = read_identity(machine(tmp_path, {"/usr/lib/os-release": text}))
    assert (identity.os_id, identity.version_id, identity.codename) == ("quayside", "7", "diamond")
    assert identity.edition == "Crew" and seen.where == "/usr/lib/os-release"


def test_hostile_values_reach_no_screen(tmp_path):
    text = b'ID=quayside\nPRETTY_NAME="a\x1b[2Jb' + b"c" * 500 + b'"\n'
    identity, _ = read_identity(machine(tmp_path, {"/etc/os-release": text}))
    assert "\x1b" not in identity.name and len(identity.name) <= 80


@pytest.mark.parametrize(
    ("header", "architecture"),
    [(b"\x7fELF" + bytes(14) + b"\xb7\x00", "arm64"), (b"#!/bin/busybox\n", "")],
)
def test_the_architecture_comes_from_the_shell_where_no_database_says(
    tmp_path, header, architecture
):
    made = machine(tmp_path, {"/etc/os-release": b"ID=x\n", "/bin/sh": header})
    assert read_identity(made)[0].architecture == architecture


def test_no_system_is_said_plainly(tmp_path):
    with pytest.raises(MachineError, match="neither /etc/os-release nor"):
        read_identity(machine(tmp_path, {}))
