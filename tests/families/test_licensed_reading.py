"""What a licensed system says of itself: read as it should be, and refused as it never should."""

import json
import shutil

import pytest

from brave_bridge.core.licensed.system import (
    KEPT_FILE,
    LICENCE_FILE,
    PROGRAMS_FILE,
    SYSTEM_FILE,
)
from brave_bridge.machines.port import MachineError


@pytest.fixture
def desk(stand_in):
    return stand_in("whimbrel")


def told(desk, path: str):
    return json.loads(desk.machine.files.read(path, 1_000_000))


def tell(desk, path: str, value) -> None:
    desk.machine.files.write(path, json.dumps(value).encode())


def test_edition_licence_programs_and_media_are_facts(desk):
    facts = desk.facts()
    system = facts.licensed
    assert (system.title, system.system.language, facts.build) == ("Deckhand", "en", "10.0.4411")
    assert [one.name for one in system.programs] == ["tide-table", "label-printer", "ledger"]
    assert len(system.media) == 2 and system.marks == {"MA": "Mate"}
    assert (system.people, system.people_files) == (2, 4)
    assert facts.part == "component" and not facts.where("packages")
    assert "not of packages" in facts.why_not("packages")


@pytest.mark.parametrize("path", [SYSTEM_FILE, LICENCE_FILE, PROGRAMS_FILE, KEPT_FILE])
@pytest.mark.parametrize(
    "content",
    [b"", b"{", b"[]" * 3, b'{"version": 4}', b"\xff\xfe", b"[" * 100_000, b"null"],
    ids=["empty", "cut", "no one value", "a number", "no UTF-8", "deep", "null"],
)
def test_a_damaged_file_is_named_and_nothing_is_guessed(desk, path, content):
    desk.machine.files.write(path, content)
    with pytest.raises(MachineError) as fault:
        desk.facts()
    assert path in fault.value.seen and len(fault.value.seen) < 400


def test_what_must_be_there_and_is_not_is_named(desk):
    desk.machine.files.remove(LICENCE_FILE)
    with pytest.raises(MachineError, match="there is no such file"):
        desk.facts()


def test_what_it_says_reaches_no_terminal_as_it_is(desk):
    tell(desk, SYSTEM_FILE, told(desk, SYSTEM_FILE) | {"build": "\x1b[2J" + "9" * 100_000})
    programs = [{"name": f"p{n}\x07"} for n in range(5000)]
    tell(desk, PROGRAMS_FILE, programs)
    with pytest.raises(MachineError, match="a list of 5000 entries"):
        desk.facts()
    tell(desk, PROGRAMS_FILE, programs[:3])
    facts = desk.facts()
    assert "\x1b" not in facts.build and len(facts.build) <= 300
    assert all("\x07" not in one.name for one in facts.licensed.programs)


def test_a_link_out_of_the_system_is_not_followed(desk, tmp_path):
    secret = tmp_path / "secret.json"
    shutil.copy(desk.machine.files.place(LICENCE_FILE), secret)
    place = desk.machine.files.place(LICENCE_FILE)
    place.unlink()
    place.symlink_to(secret)
    with pytest.raises(MachineError):
        desk.facts()
