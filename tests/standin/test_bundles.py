"""Image bundles on a stand-in: listed, read to the end, held against the machine, or refused."""

import json

import pytest

from brave_bridge.core.images.changes import DROPPED, UPGRADED
from brave_bridge.core.images.system import IMAGE_FILE, SLOTS_FILE
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.images import KEY_FILE
from brave_bridge.workbench.media.bundles import bundles_here, look_into
from brave_bridge.workbench.refusal import Refused
from tests.support.bundles import KEY, bundle

HERE = "/srv/pool/bundles/keelstone-8.4.bundle"


@pytest.fixture
def desk(stand_in):
    return stand_in("puffin")


def finding(desk, name: str):
    return next(one for one in desk.survey().findings if one.id == name)


def rewritten(desk, path: str, change) -> None:
    told = json.loads(desk.machine.files.read(path, 1_000_000))
    change(told)
    desk.machine.files.write(path, json.dumps(told).encode())


def test_what_runs_its_slots_and_its_bundles_are_read(desk):
    facts = desk.facts()
    assert facts.family == "image" and facts.image.image.build == "8.4-rc2-0518"
    assert [slot.state for slot in facts.image.slots.slots] == ["good", "empty"]
    assert {package.name for package in facts.packages} >= {"base", "kernel", "pool-tools"}
    assert HERE in bundles_here(desk)
    assert "slot b is there for the next" in finding(desk, "image-slots").title


def test_a_bundle_is_held_against_the_machine(desk):
    seen = look_into(desk, HERE)
    assert (seen.version, seen.profile, seen.stops) == ("8.4", "full", ())
    assert {change.kind for change in seen.changes} == {UPGRADED}
    assert seen.issues[0].id == "K-118" and len(seen.signed_by) == 1
    bare = look_into(desk, HERE, "bare")
    dropped = {change.name for change in bare.changes if change.kind == DROPPED}
    assert dropped == {"net-drivers-wide", "disk-drivers-wide", "desk-tools"}
    assert [one.device for one in bare.undriven] == ["0000:01:00.0", "0000:03:00.0"]
    assert len(bare.stops) == 2 and "profile full has one" in bare.stops[0]
    sizes = {profile.name: profile.size_bytes for profile in bare.profiles}
    assert sizes["bare"] < sizes["full"]
    with pytest.raises(Refused, match="no profile tiny; it has full, bare"):
        look_into(desk, HERE, "tiny")


def test_one_that_cannot_be_believed_is_refused_and_nothing_is_changed(desk, tmp_path):
    strange = tmp_path / "strange.bundle"
    strange.write_bytes(bundle())
    with pytest.raises(MachineError, match="no key of this machine has signed it"):
        look_into(desk, str(strange))
    desk.machine.files.write(KEY_FILE, KEY)
    with pytest.raises(MachineError, match="41 was here already"):
        look_into(desk, str(strange))
    strange.write_bytes(bundle(serial=60))
    assert look_into(desk, str(strange)).serial == 60
    strange.write_bytes(bundle(serial=60)[:-20_000])
    with pytest.raises(MachineError, match="ends"):
        look_into(desk, str(strange))
    with pytest.raises(MachineError, match="No such file"):
        look_into(desk, str(tmp_path / "none.bundle"))
    desk.machine.files.remove(KEY_FILE)
    with pytest.raises(MachineError, match="no key"):
        look_into(desk, HERE)


def test_other_machines_have_no_bundles(stand_in):
    with pytest.raises(Refused, match="petrel is no system of images"):
        bundles_here(stand_in("petrel"))


@pytest.mark.parametrize("path", [IMAGE_FILE, SLOTS_FILE])
@pytest.mark.parametrize("content", [b"", b"{", b"[]", b"\xff", b"[" * 5000, b'{"running":"z"}'])
def test_files_that_are_not_what_they_must_be_are_told(desk, path, content):
    desk.machine.files.write(path, content)
    with pytest.raises(MachineError, match="is damaged"):
        desk.facts()


def test_slots_that_do_not_agree_or_are_on_trial_are_found(desk):
    def on_trial(told) -> None:
        told["slots"][1] |= {"state": "trial", "version": "8.4", "build": "8.4-0622"}

    rewritten(desk, SLOTS_FILE, on_trial)
    assert "Slot b is on trial: 8.4" in finding(desk, "image-slots").title
    rewritten(desk, SLOTS_FILE, lambda told: told["slots"][1].update(state="bad"))
    assert "Slot b has failed" in finding(desk, "image-slots").title
    rewritten(desk, IMAGE_FILE, lambda told: told.update(build="8.4-rc1\u001b[2J"))
    found = finding(desk, "image-slots")
    assert found.verdict.value == "stop" and "\u001b" not in found.title + found.evidence
