"""Legs of an image system: written into the other slot, tried once, kept when it is proven."""

import json
from datetime import date

import msgspec
import pytest

from brave_bridge.core.crossing.made_as_one import image_leg
from brave_bridge.core.crossing.requests import Run
from brave_bridge.core.crossing.surroundings import Setting, Surroundings
from brave_bridge.core.images.system import (
    ALERTS_FILE,
    IMAGE_FILE,
    SETTINGS_FILE,
    SLOTS_FILE,
    export_of,
)
from brave_bridge.core.plan.exchange_steps import ComponentsStep, ImageStep
from brave_bridge.core.proof.difference import DATA, REGRESSION, SURFACE
from brave_bridge.machines.standin import images, live
from brave_bridge.machines.standin.images import KEY_FILE
from brave_bridge.machines.standin.signing import make_detached_key
from brave_bridge.runner.briefs import CrossBrief, KeptBrief, ReturnBrief
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.proofs.proving import prove_again
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.ways.kept_system import begin_keeping_longer, kept_of
from tests.standin.test_restarts import anew
from tests.support.deaths import ends_the_same_after_each_death
from tests.support.runs import answering, begin, carry_out, contents, outcome_of

BUNDLE = "/srv/pool/bundles/keelstone-8.4.bundle"


@pytest.fixture
def desk(stand_in):
    return stand_in("puffin")


def cross(desk, to: str, name: str = "trial"):
    plan = Plans(desk).make(to)
    begin(desk, CrossBrief("image", plan.legs), name)
    carry_out(desk.machine.root, "puffin", name)
    return outcome_of(desk.machine.root, "puffin", name)


def slots(desk) -> dict:
    return json.loads(desk.machine.files.read(SLOTS_FILE, 100_000))


def running(desk) -> tuple[str, str, str]:
    """Which slot runs, and what the image and its slot say that it is."""
    found = slots(desk)
    image = json.loads(desk.machine.files.read(IMAGE_FILE, 1_000_000))
    slot = next(one for one in found["slots"] if one["name"] == found["running"])
    assert slot["build"] == image["build"]
    return found["running"], image["version"], image["profile"]


def test_a_release_candidate_goes_to_its_release_and_back(desk):
    before = contents(desk.machine.root)
    kept = Plans(desk).make("8.4")
    step, parts = kept.legs[0].step(ImageStep), kept.legs[0].step(ComponentsStep)
    assert (step.slot, step.build, step.profile) == ("b", "8.4-0622", "full")
    assert {one.name for one in parts.changed} == {"base", "kernel", "pool-tools", "guest-runner"}
    assert any("Mail alerts stop" in words for words in step.risks)
    outcome = cross(desk, "8.4")
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert running(desk) == ("b", "8.4", "full") and slots(desk)["default"] == "b"
    told = {one.subject: (one.before, one.after) for one in outcome.proof.differences}
    assert told["release"] == ("8.4-rc2", "8.4")
    assert told["build"] == ("8.4-rc2-0518", "8.4-0622")
    # The image's own kernel came up, which nothing of before told of: it is not tried again.
    assert told["restart"] == ("kernel 6.6.31", "up, kernel 6.6.33")
    steps = [entry.kind for entry in desk.logbook().entries("trial")]
    assert steps.count("Restart") == 1
    (cure,) = outcome.proof.tasks
    assert cure.key == "cure:K-118" and "Write the address into /etc/alerts" in cure.text
    alert = next(one for one in outcome.proof.differences if one.topic == "alerts")
    assert (alert.subject, alert.verdict) == ("alert k-118", "expected")
    assert "Mail alerts stop" in alert.after and "K-118" in alert.meaning
    pools = [point for point in outcome.proof.same if point.topic == "pools"]
    assert [(point.subject, point.after) for point in pools] == [("pools", "1")]
    begin(desk, ReturnBrief("image", outcome.ways_back[0], "trial"), "back")
    carry_out(desk.machine.root, "puffin", "back")
    assert outcome_of(desk.machine.root, "puffin", "back").state == "done"
    assert contents(desk.machine.root) == before


def test_two_legs_go_by_turns_into_both_slots(desk):
    kept = Plans(desk).make("8.5")
    assert [leg.step(ImageStep).slot for leg in kept.legs] == ["b", "a"]
    assert [leg.step(ImageStep).old for leg in kept.legs] == ["8.4-rc2", "8.4"]
    outcome = cross(desk, "8.5")
    assert (outcome.state, outcome.legs_done) == ("done", 2) and outcome.proof.passed, outcome
    assert running(desk) == ("a", "8.5", "full")
    assert {one["state"] for one in slots(desk)["slots"]} == {"good"}
    told = {one.subject: (one.after, one.meaning) for one in outcome.proof.differences}
    assert told["cure of K-131"][0] == "in place" and "Clocks of guests" in told["cure of K-131"][1]
    assert not outcome.proof.tasks, "nothing of the image between is left to do"


def test_a_cure_that_its_tool_applied_is_looked_at_again_by_each_proof(desk):
    plan = Plans(desk).make("8.5")
    assert any("by its own tool" in words for words in plan.legs[-1].step(ImageStep).risks)
    assert cross(desk, "8.5").proof.passed
    assert prove_again(anew(desk)).passed
    found = slots(desk)
    for slot in found["slots"]:
        slot["cures"] = []
    desk.machine.files.write(SLOTS_FILE, json.dumps(found).encode())
    proof = prove_again(anew(desk))
    (worse,) = [point for point in proof.differences if point.verdict == REGRESSION]
    assert not proof.passed and worse.subject == "cure of K-131"
    assert "image-slots cure K-131" in worse.meaning


def test_a_cure_that_cannot_be_applied_is_told_and_its_image_not_kept(desk):
    plan = Plans(desk).make("8.5")
    step = plan.legs[-1].step(ImageStep)
    unknown = msgspec.structs.replace(step, cured_by_tool=("K-999",))
    legs = (plan.legs[0], plan.legs[-1].with_step(unknown))
    begin(desk, CrossBrief("image", legs))
    carry_out(desk.machine.root, "puffin", "trial")
    outcome = outcome_of(desk.machine.root, "puffin", "trial")
    assert any("knows no cure of K-999" in words for words in outcome.warnings), outcome
    assert not outcome.proof.passed and slots(desk)["default"] == "b"


def test_a_slot_that_does_not_come_up_falls_back_and_is_written_again(desk):
    described = live.load(desk.machine.root)
    described.troubles = [live.OLD_KERNEL, live.OLD_KERNEL]
    live.save(desk.machine.root, described)
    outcome = cross(desk, "8.4")
    assert outcome.state == "failed" and "slot b fell back" in outcome.why, outcome
    assert running(desk) == ("a", "8.4-rc2", "full") and slots(desk)["default"] == "a"
    described = live.load(desk.machine.root)
    described.troubles = []
    live.save(desk.machine.root, described)
    again = anew(desk)
    leg = again.open_leg()
    assert leg is not None and leg.at == "bringing"
    begin(again, CrossBrief("image", leg.plans, begun=leg), "again")
    carry_out(desk.machine.root, "puffin", "again")
    outcome = outcome_of(desk.machine.root, "puffin", "again")
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert running(desk) == ("b", "8.4", "full")


def test_what_fails_its_proof_is_not_kept(desk):
    described = live.load(desk.machine.root)
    described.troubles = ["fails: shares.service"]
    live.save(desk.machine.root, described)
    outcome = cross(desk, "8.4")
    assert outcome.state == "done" and not outcome.proof.passed
    assert any("takes the slot that ran before" in words for words in outcome.warnings)
    assert slots(desk)["default"] == "a" and running(desk)[0] == "b"
    live.restart(desk.machine.root)
    assert running(desk) == ("a", "8.4-rc2", "full")


def test_a_profile_without_a_driver_of_this_machine_is_a_stop(desk):
    with pytest.raises(Refused, match=r"0000:03:00\.0 \(vault_hba\)") as told:
        Plans(desk).make("profile:bare")
    assert "full" in str(told.value)


def test_bundles_that_cannot_be_believed_are_named_and_nothing_is_planned(desk):
    key, _ = make_detached_key("Somebody <somebody@example.org>")
    desk.machine.files.write(KEY_FILE, key)
    with pytest.raises(Refused, match=r"no bundle of 8\.4 is on its storage") as told:
        Plans(desk).make("8.4")
    assert "no key of this machine has signed it" in str(told.value)


def test_a_bundle_that_changed_since_the_plan_changes_nothing(desk):
    kept = Plans(desk).make("8.4")
    line = images.image_line()
    key, sign = make_detached_key(line.key)
    desk.machine.files.write(KEY_FILE, key)
    release = line.of("8.4")
    release.build = "8.4-9999"
    desk.machine.files.write(BUNDLE, images.bundle_of(line, "8.4", sign))
    before = contents(desk.machine.root)
    begin(desk, CrossBrief("image", kept.legs))
    carry_out(desk.machine.root, "puffin", "trial")
    outcome = outcome_of(desk.machine.root, "puffin", "trial")
    assert outcome.state == "stopped" and "8.4-9999" in outcome.why, outcome
    assert contents(desk.machine.root) == before


@pytest.mark.parametrize("moment", ["before", "after"])
def test_dead_at_every_request_it_ends_in_the_same_state(desk, tmp_path, moment):
    begin(desk, CrossBrief("image", Plans(desk).make("8.4").legs))
    start, folder = desk.machine.root, tmp_path / "deaths"
    assert ends_the_same_after_each_death(start, "puffin", "trial", moment, folder) > 8


def test_a_profile_is_exchanged_where_no_device_needs_the_other(desk):
    described = live.load(desk.machine.root)
    for device in described.devices:
        (desk.machine.root / f"sys/bus/{device.bus}/devices/{device.path}/driver").unlink()
    described.devices = []
    live.save(desk.machine.root, described)
    outcome = cross(desk, "profile:bare")
    assert outcome.state == "done", outcome
    assert running(desk) == ("b", "8.4-rc2", "bare")
    assert desk.facts().identity.profile == "bare"
    told = {one.subject: (one.before, one.after) for one in outcome.proof.differences}
    assert told["profile"] == ("full", "bare") and "release" not in told
    gone = {one.subject for one in outcome.proof.differences if one.after == "gone"}
    assert gone <= {"net-drivers-wide", "disk-drivers-wide", "desk-tools"}


def test_the_former_slot_is_gone_back_to_by_choice(desk):
    assert kept_of(desk.facts(), date.today()) is None, "the other slot is empty"
    settings = json.loads(desk.machine.files.read(SETTINGS_FILE, 10_000))
    assert cross(desk, "8.4").state == "done"
    assert json.loads(desk.machine.files.read(SETTINGS_FILE, 10_000))["form"] == "8.4"
    seen = kept_of(anew(desk).facts(), date.today())
    assert (seen.kept.version, seen.kept.build, seen.days_left) == ("8.4-rc2", "8.4-rc2-0518", None)
    with pytest.raises(Refused, match="until the next image is written over it"):
        begin_keeping_longer(anew(desk), "2027-01-01")
    begin(anew(desk), KeptBrief(reason="alerts stop"), "former")
    carry_out(desk.machine.root, "puffin", "former")
    outcome = outcome_of(desk.machine.root, "puffin", "former")
    assert outcome.state == "done" and len(outcome.ways_back) == 1, outcome
    assert running(desk) == ("a", "8.4-rc2", "full") and slots(desk)["default"] == "a"
    assert json.loads(desk.machine.files.read(SETTINGS_FILE, 10_000)) == settings
    assert not outcome.warnings
    # What came up is held against what was read of it before it was left.
    assert outcome.proof.passed and len({one.topic for one in outcome.proof.same}) > 8


@pytest.mark.parametrize(("choice", "slot"), [(image_leg.RESTART, "b"), (image_leg.STAY, "a")])
def test_what_was_remarked_while_it_was_written_is_reviewed_before_the_restart(desk, choice, slot):
    settings = json.loads(desk.machine.files.read(SETTINGS_FILE, 10_000)) | {"beacon": "on"}
    desk.machine.files.write(SETTINGS_FILE, json.dumps(settings).encode())
    begin(desk, CrossBrief("image", Plans(desk).make("8.4").legs), unattended=False)
    chosen = {"record-0": choice}
    answering(lambda: anew(desk), "trial", lambda asked: chosen.get(asked.key, asked.default))
    carry_out(desk.machine.root, "puffin", "trial")
    question = next(q for q in anew(desk).logbook().questions("trial") if q.key == "record-0")
    assert "8.4 does not know beacon" in question.detail and slot == running(desk)[0]
    outcome = outcome_of(desk.machine.root, "puffin", "trial")
    if choice == image_leg.STAY:
        assert outcome.state == "failed" and "not agreed" in outcome.why, outcome
        assert slots(desk)["default"] == "a" and anew(desk).open_leg() is not None
    else:
        assert any("does not know beacon" in words for words in outcome.warnings)


def test_settings_that_cannot_be_restored_are_told(desk):
    assert cross(desk, "8.4").state == "done"
    other = {"version": "8.3", "settings": {}}
    desk.machine.files.write(export_of("8.4-rc2"), json.dumps(other).encode())
    begin(anew(desk), KeptBrief(reason="alerts stop"), "former")
    carry_out(desk.machine.root, "puffin", "former")
    outcome = outcome_of(desk.machine.root, "puffin", "former")
    assert outcome.state == "done" and "they are of 8.3" in outcome.warnings[0], outcome
    desk.machine.files.remove(SETTINGS_FILE)
    begin(anew(desk), CrossBrief("image", Plans(anew(desk)).make("8.4").legs), "again")
    carry_out(desk.machine.root, "puffin", "again")
    outcome = outcome_of(desk.machine.root, "puffin", "again")
    assert outcome.state == "stopped" and outcome.at == "settings", outcome
    assert running(desk) == ("a", "8.4-rc2", "full")


def test_writing_tells_how_far_it_is(desk):
    told: list[tuple[float, str]] = []
    plan = Plans(desk).make("8.4")
    step = plan.legs[0].step(ImageStep)
    performer = desk.performer("write")
    performer.poll_seconds = 0.005
    argv = ("image-slots", "write", step.slot, step.bundle, step.profile)
    request = Run(title="Write it", argv=argv, reports_progress=True)
    performer.perform(0, request, lambda percent, note, job: told.append((percent, note)))
    percents = [percent for percent, _ in told]
    assert len(percents) >= 3 and percents == sorted(percents) and 0 < percents[0] < 100
    assert {note for _, note in told} <= {part.name for part in images.image_line().component}


def test_a_shell_that_was_opened_for_the_work_is_closed_whenever_it_dies(desk, tmp_path):
    unit = "remote-shell.service"
    described = live.load(desk.machine.root)
    described.units.append(live.LiveUnit(unit, "A shell for whoever helps", "inactive"))
    live.save(desk.machine.root, described)
    opened = Setting(("systemctl", "start", unit), ("systemctl", "stop", unit))
    plan, around = Plans(desk).make("8.4"), Surroundings((opened,))
    begin(desk, CrossBrief("image", plan.legs, surroundings=around))

    def is_closed(root) -> bool:
        (found,) = [one for one in live.load(root).units if one.name == unit]
        return found.active == "inactive"

    start, folder = desk.machine.root, tmp_path / "deaths"
    assert ends_the_same_after_each_death(
        start, "puffin", "trial", "after", folder, holds=is_closed
    )


@pytest.mark.parametrize(("of_data", "kind"), [(True, DATA), (False, SURFACE)])
def test_an_alert_that_nobody_announced_is_worse(desk, of_data, kind):
    assert cross(desk, "8.4").proof.passed
    alerts = json.loads(desk.machine.files.read(ALERTS_FILE, 10_000))
    alerts.append({"id": "scrub", "text": "3 files\x1b[2J cannot be read", "of_data": of_data})
    desk.machine.files.write(ALERTS_FILE, json.dumps(alerts).encode())
    (worse,) = [p for p in prove_again(anew(desk)).differences if p.verdict == REGRESSION]
    assert (worse.subject, worse.kind) == ("alert scrub", kind) and "\x1b" not in worse.after


def test_alerts_that_cannot_be_read_stand_in_nobodys_way(desk):
    assert cross(desk, "8.4").proof.passed
    desk.machine.files.write(ALERTS_FILE, b'[{"id": 7')
    (unexplained,) = [p for p in prove_again(anew(desk)).differences if p.topic == "alerts"]
    assert unexplained.verdict == "unexplained" and "none that can be read" in unexplained.meaning
    assert anew(desk).survey().facts.identity.version_id == "8.4"


def test_a_disk_that_fails_since_is_worse_and_one_that_fails_stands_in_the_way(desk):
    described = live.load(desk.machine.root)
    described.failing_disks = ["sdc"]
    live.save(desk.machine.root, described)
    stopped = next(one for one in anew(desk).survey().findings if one.id == "disk-health")
    assert stopped.verdict.value == "stop" and "sdc" in stopped.title
    described.failing_disks = []
    live.save(desk.machine.root, described)
    assert cross(desk, "8.4").proof.passed
    described = live.load(desk.machine.root)
    described.failing_disks = ["sdc"]
    live.save(desk.machine.root, described)
    (worse,) = [p for p in prove_again(anew(desk)).differences if p.verdict == REGRESSION]
    assert (worse.subject, worse.kind) == ("disk sdc", DATA), worse


def test_a_pool_that_is_degraded_since_is_worse(desk):
    assert cross(desk, "8.4").proof.passed
    described = live.load(desk.machine.root)
    described.pools = {"pool": "DEGRADED"}
    live.save(desk.machine.root, described)
    proof = prove_again(anew(desk))
    worse = {p.subject: (p.after, p.kind) for p in proof.differences if p.verdict == REGRESSION}
    assert not proof.passed and worse == {"pool pool": ("DEGRADED", DATA)}
