"""Stand-ins taken across and back, and killed at every single request on the way."""

import json
import os

import pytest

from brave_bridge.families.deb.service_guard import GUARD
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.runner.briefs import CrossBrief, ReturnBrief
from brave_bridge.workbench.beginning import begin_crossing
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.proofs.newest_proof import proof_now
from brave_bridge.workbench.refusal import Refused
from tests.support.deaths import desk_at, ends_the_same_after_each_death
from tests.support.runs import begin, carry_out, contents, outcome_of, take_snapshot


def planned(desk: Desk, to: str) -> CrossBrief:
    return CrossBrief("deb", Plans(desk).make(to).legs)


def cross(desk: Desk, to: str, **options):
    """Plan and cross in a child; the outcome."""
    begin(desk, planned(desk, to), **options)
    assert carry_out(desk.machine.root, desk.machine.name, "trial") == 0
    return outcome_of(desk.machine.root, desk.machine.name, "trial")


def test_planning_touches_nothing(stand_in):
    desk = stand_in("petrel")
    before = contents(desk.machine.root)
    plan = Plans(desk).make("7").legs[0]
    assert contents(desk.machine.root) == before
    assert {c.name for c in plan.packages.removed} == {"estuary-agent", "libtide1"}
    assert {c.name for c in plan.packages.new} == {
        "libtide2",
        "libtls3",
        "quay-linux-image-6.6.0-11",
    }
    assert {q.path for q in plan.configs.questions} == {
        "/etc/quay-ssh/login.conf",
        "/etc/quay-tidebase/tidebase.conf",
        "/etc/quay-webd/webd.conf",
    }
    assert {(s.uri.split("/")[2], s.outcome) for s in plan.sources.outcomes} == {
        ("archive.quayside.example", "renamed"),
        ("packages.estuary.example", "paused"),
    }
    reasons = {c.name: c.reason for c in plan.packages.removed}
    assert reasons["estuary-agent"] == (
        "estuary-agent 2.4-1 needs libtide1 (>= 1.4); quay-libc 2.39-3 cannot stand beside "
        "libtide1 1.4-3; quay-libc goes to 2.39-3"
    )
    assert "quay-tidebase" in {c.name for c in plan.packages.jumps}
    assert plan.download_bytes > 0 and plan.disk_bytes > 0


def test_petrel_crosses_and_returns(stand_in):
    desk = stand_in("petrel")
    root = desk.machine.root
    before = contents(root)
    kept = Plans(desk).answer(Plans(desk).make("7"), "/etc/quay-webd/webd.conf", "theirs")
    begin(desk, CrossBrief("deb", kept.legs))
    carry_out(root, "petrel", "trial")
    outcome = outcome_of(root, "petrel", "trial")
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert "listen 443 tls" in (root / "etc/quay-webd/webd.conf").read_text()
    assert "workers 8" in (root / "etc/quay-webd/webd.conf.dpkg-old").read_text()
    assert "2GB" in (root / "etc/quay-tidebase/tidebase.conf").read_text()
    assert outcome.set_aside == (
        "/etc/quay-ssh/login.conf.dpkg-dist",
        "/etc/quay-tidebase/tidebase.conf.dpkg-dist",
        "/etc/quay-webd/webd.conf.dpkg-old",
    )
    assert "libtls1" in outcome.obsolete
    assert not desk.machine.files.is_file(GUARD)
    assert desk.survey().release.key == "7"
    assert (
        (root / "etc/apt/sources.list.d/estuary.list")
        .read_text()
        .splitlines()[1]
        .startswith("# deb http://packages.estuary.example/instruments bowline-5.3 main")
    )
    begin(desk, ReturnBrief("deb", outcome.ways_back[0], "trial"), "back")
    carry_out(root, "petrel", "back")
    assert outcome_of(root, "petrel", "back").state == "done"
    assert contents(root) == before
    proof = proof_now(desk)[1]
    assert proof.passed and {one.topic for one in proof.same} >= {"units", "ports", "mounts"}


def test_gannet_takes_point_releases_in_order(stand_in):
    desk = stand_in("gannet")
    assert [leg.end.key for leg in desk.routes().named("5.3").legs] == ["5.2", "5.3"]
    before = contents(desk.machine.root)
    skipped = Plans(desk).make("5.3").legs[-1].packages.skipping
    assert "lose 1 guard" in skipped.sentence and "miss 1 config migration" in skipped.sentence
    assert skipped.left_at_old == skipped.never_installed == ("harbour-net",)
    assert "netkit 2.0-1 takes over from harbour-net" in skipped.guards[0]
    assert "quay-init 247-5 does something" in skipped.migrations[0]
    outcome = cross(desk, "5.3")
    assert (outcome.state, outcome.legs_done, len(outcome.ways_back)) == ("done", 2, 2)
    assert outcome.proof.passed
    facts = desk.survey().facts
    assert facts.identity.version_id == "5.3"
    assert "5.19.0-4" in {kernel.version for kernel in facts.kernels}
    assert "netkit" in {package.name for package in facts.installed}
    begin(desk, ReturnBrief("deb", outcome.ways_back[0], "trial"), "back")
    carry_out(desk.machine.root, "gannet", "back")
    assert contents(desk.machine.root) == before


def test_skipping_the_middle_release_is_refused(stand_in):
    desk = stand_in("gannet")
    route = desk.routes().named("5.3")
    assert "point releases are taken in order" in route.refused[0].reason
    with pytest.raises(Refused, match="older"):
        Plans(stand_in("petrel")).make("5.1")


@pytest.fixture(scope="session")
def begun(demo_world, tmp_path_factory):
    """petrel with a crossing begun and nothing of it done."""
    import shutil

    start = tmp_path_factory.mktemp("begun") / "petrel"
    shutil.copytree(demo_world / "petrel", start, symlinks=True)
    desk = desk_at(start, "petrel")
    begin(desk, planned(desk, "7"))
    return start


@pytest.mark.parametrize("moment", ["before", "after"])
def test_dead_at_every_request_it_ends_in_the_same_state(begun, tmp_path, moment):
    assert ends_the_same_after_each_death(begun, "petrel", "trial", moment, tmp_path) >= 16


def test_killed_while_it_works_it_ends_in_the_same_state(begun, tmp_path):
    import shutil

    ends = []
    for seq in (None, 11, 23):
        root = tmp_path / str(seq)
        shutil.copytree(begun, root, symlinks=True)
        if seq is not None:
            status = carry_out(root, "petrel", "trial", ("after", seq))
            assert os.WIFSIGNALED(status), f"not killed after request {seq}"
        assert carry_out(root, "petrel", "trial") == 0
        outcome = outcome_of(root, "petrel", "trial")
        assert outcome.state == "done" and outcome.proof.passed, (seq, outcome)
        ends.append(contents(root))
    assert all(end == ends[0] for end in ends)


@pytest.mark.parametrize("moment", ["before", "after"])
def test_a_return_killed_at_every_request_ends_in_the_same_state(stand_in, tmp_path, moment):
    desk = stand_in("petrel")
    before = contents(desk.machine.root)
    assert cross(desk, "7").state == "done"
    begin(desk, ReturnBrief("deb", desk.snapshots.all()[0].id, "trial"), "back")
    died = ends_the_same_after_each_death(
        desk.machine.root, "petrel", "back", moment, tmp_path, matters=lambda kind: True
    )
    assert died >= 3 and contents(tmp_path / "rough") == before


def test_a_crossing_rests_at_a_checkpoint_and_goes_on(stand_in):
    desk = stand_in("petrel")
    begin(desk, planned(desk, "7"))
    desk.logbook().ask_to_rest("trial", True)
    desk.logbook().close()
    carry_out(desk.machine.root, "petrel", "trial")
    row = desk.logbook().procedure("trial")
    assert row.state == "resting" and row.outcome is None
    assert desk.survey().release.key == "5.3"
    desk.logbook().ask_to_rest("trial", False)
    desk.logbook().close()
    carry_out(desk.machine.root, "petrel", "trial")
    assert outcome_of(desk.machine.root, "petrel", "trial").state == "done"


def test_the_guard_of_an_administrator_is_put_back(stand_in):
    desk = stand_in("petrel")
    own = b"#!/bin/sh\nexit 104\n"
    desk.machine.files.write(GUARD, own, 0o755)
    assert cross(desk, "7").state == "done"
    assert desk.machine.files.read(GUARD, 1000) == own


def test_every_command_is_in_the_logbook_with_its_output(stand_in):
    desk = stand_in("petrel")
    cross(desk, "7")
    runs = [e for e in desk.logbook().entries("trial") if e.kind == "Run"]
    stage = next(e for e in runs if e.title.startswith("Stage one"))
    reply = json.loads(stage.reply)
    assert json.loads(stage.request)["argv"][0] == "apt-get"
    assert "Setting up quay-log (8.24-2)" in reply["output"] and reply["exit_code"] == 0
    assert stage.began <= stage.ended
    folder = desk.machine.state.folder / "jobs" / reply["job"]
    assert {"command.json", "output", "status", "began", "ended", "code"} <= set(os.listdir(folder))


def damage(desk: Desk, path: str, old: bytes, new: bytes) -> None:
    content = desk.machine.files.read(path, 10_000_000)
    assert old in content
    desk.machine.files.write(path, content.replace(old, new))


def test_a_failing_script_stops_part_way_and_names_the_way_back(stand_in, demo_world, tmp_path):
    desk = stand_in("petrel")
    kept = Plans(desk).make("7")
    # The database's script needs this folder; a file in its place makes it fail.
    desk.machine.files.remove("/var/lib/tidebase/converted-at")
    (desk.machine.root / "var/lib/tidebase").rmdir()
    desk.machine.files.write("/var/lib/tidebase", b"in the way")
    begin(desk, CrossBrief("deb", kept.legs))
    carry_out(desk.machine.root, "petrel", "trial")
    outcome = outcome_of(desk.machine.root, "petrel", "trial")
    assert (outcome.state, outcome.at) == ("failed", "stage two")
    assert "quay-tidebase" in outcome.why and "exit status" in outcome.why
    assert "trial-4" in outcome.safe and "return trial-4" in outcome.next_step
    assert not desk.machine.files.is_file(GUARD)
    begin(desk, ReturnBrief("deb", "trial-4", "it failed"), "back")
    carry_out(desk.machine.root, "petrel", "back")
    assert outcome_of(desk.machine.root, "petrel", "back").state == "done"
    assert desk.survey().release.key == "5.3"
    assert desk.machine.files.read("/var/lib/tidebase", 100) == b"in the way"


def test_two_procedures_at_once_are_refused(stand_in):
    desk = stand_in("petrel")
    kept = Plans(desk).make("7")
    begin(desk, CrossBrief("deb", kept.legs))
    with pytest.raises(Refused, match="has not ended"):
        begin_crossing(desk, kept, unattended=True)


def test_a_plan_is_kept_only_while_it_fits(stand_in):
    desk = stand_in("petrel")
    Plans(desk).make("7")
    assert Plans(desk).kept(desk.survey().facts, "7") is not None
    assert Plans(desk).kept(desk.survey().facts, "6") is None
    damage(desk, "/etc/apt/sources.list.d/quayside.sources", b"main", b"main extra")
    assert Plans(desk).kept(desk.survey().facts, "7") is None


def test_the_state_folder_is_no_part_of_a_snapshot(stand_in):
    desk = stand_in("petrel")
    taken = take_snapshot(desk, "trial")
    tree = desk.snapshots.folder / taken.id / "root/tree"
    assert (tree / "var/lib/dpkg/status").is_file()
    # Empty, so that a bare disk could be filled from it.
    for left in (STATE_FOLDER.lstrip("/"), "home"):
        assert list((tree / left).iterdir()) == []
    assert any(line.startswith("/home:") for line in taken.left_out)
    with pytest.raises(MachineError, match="finding the way back"):
        desk.snapshots.find("elsewhere")


def test_a_crossing_that_was_given_up_does_not_go_on_behind_a_return(stand_in):
    desk = stand_in("petrel")
    root, before = desk.machine.root, contents(desk.machine.root)
    begin(desk, planned(desk, "7"))
    seq = 13
    assert os.WIFSIGNALED(carry_out(root, "petrel", "trial", ("before", seq)))
    way_back = desk.snapshots.all()[0].id
    desk.logbook().set_state("trial", "stopped")
    begin(desk, ReturnBrief("deb", way_back, "given up"), "back")
    assert carry_out(root, "petrel", "back") == 0
    assert outcome_of(root, "petrel", "back").state == "done"
    assert contents(root) == before
    assert desk.logbook().entries("trial")[-1].seq == seq
    assert not desk.logbook().entries("trial")[-1].ended
