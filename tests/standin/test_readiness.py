"""Making stand-ins ready: updates, remedies, overrules, notes, guests, backups, differences."""

import os
import subprocess
import sys
import time

import msgspec
import pytest

from brave_bridge.core.estimate import Speeds, Window
from brave_bridge.core.survey.findings import Verdict, stops
from brave_bridge.machines.jobs import launch
from brave_bridge.machines.standin import live
from brave_bridge.runner.briefs import CrossBrief, RemedyBrief, ReturnBrief, UpdateBrief
from brave_bridge.workbench import run
from brave_bridge.workbench.beginning import begin_crossing
from brave_bridge.workbench.decisions import change_decisions, read_decisions, surroundings_for
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.readiness import Readiness
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.surveying import remember
from tests.support.deaths import ends_the_same_after_each_death
from tests.support.runs import begin, carry_out, contents, outcome_of


@pytest.fixture(autouse=True)
def own_state(tmp_path, monkeypatch):
    """Notes and surveys of the test go to a folder of its own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def carried_out(desk: Desk, brief, name: str):
    """Carry a procedure out in a child; its outcome."""
    begin(desk, brief, name)
    assert carry_out(desk.machine.root, desk.machine.name, name) == 0
    return outcome_of(desk.machine.root, desk.machine.name, name)


def found(desk: Desk, to: str = "") -> dict:
    return {finding.id: finding for finding in desk.survey(to).findings}


def test_a_leg_is_offered_only_from_an_up_to_date_release(stand_in):
    desk = stand_in("avocet")
    kept = Plans(desk).make("7")
    with pytest.raises(Refused, match="4 updates pending, 4 of them security"):
        begin_crossing(desk, kept, unattended=True)
    outcome = carried_out(desk, UpdateBrief("deb"), "update")
    assert outcome.state == "done" and len(outcome.updated) == 4
    # The held package's fixes are none, so nothing is left; the new kernel wants a restart.
    assert outcome.left == () and outcome.warnings == ("a restart is pending",)
    after = found(desk)
    assert after["pending-updates"].verdict is Verdict.CLEAR
    assert [f.id for f in stops(after.values())] == ["restart-pending"]
    assert after["newer-kernel"].verdict is Verdict.CAUTION
    remedy = RemedyBrief("restart", after["restart-pending"].fix)
    assert carried_out(desk, remedy, "restart").state == "done"
    after = found(desk)
    assert stops(after.values()) == () and after["newer-kernel"].verdict is Verdict.CLEAR
    assert desk.facts().boot.kernel == "5.19.0-7"


@pytest.mark.parametrize("moment", ["before", "after"])
def test_updates_dead_at_every_request_end_in_the_same_state(stand_in, tmp_path, moment):
    desk = stand_in("avocet")
    begin(desk, UpdateBrief("deb"), "update")
    start, folder = desk.machine.root, tmp_path / "deaths"
    died = ends_the_same_after_each_death(
        start, "avocet", "update", moment, folder, matters=lambda kind: True
    )
    assert died > 15


def test_a_look_for_updates_lists_sizes_and_marks(stand_in):
    pending = Readiness(stand_in("avocet")).look()
    assert {u.name for u in pending.updates} == {"libtls1", "quay-linux", "quay-log", "quay-ssh"}
    assert all(u.security and u.download_bytes for u in pending.updates)
    assert pending.new == ("quay-linux-image-5.19.0-7",) and not pending.failed_sources
    nothing = Readiness(stand_in("petrel")).look()
    assert not (nothing.updates or nothing.new)


def test_a_source_that_cannot_be_reached_becomes_a_finding(stand_in):
    desk = stand_in("petrel")
    desk.machine.files.write(
        "/etc/apt/sources.list.d/gone.list", b"deb http://gone.example/quayside bowline-5.3 main\n"
    )
    pending = Readiness(desk).look()
    assert any("gone.example" in words for words in pending.failed_sources)
    finding = found(desk)["unread-sources"]
    assert finding.verdict is Verdict.CAUTION and "could not be reached" in finding.title


def test_an_overrule_needs_a_reason_and_holds_for_its_leg_only(stand_in):
    desk = stand_in("avocet")
    ready, surveyed = Readiness(desk), desk.survey("7")
    with pytest.raises(Refused, match="needs a reason"):
        ready.overrule(surveyed, "pending-updates", "  ")
    with pytest.raises(Refused, match="no stop of the rule"):
        ready.overrule(surveyed, "clock", "because")
    ready.overrule(surveyed, "pending-updates", "the boat comes tomorrow")
    assert found(desk, "7")["pending-updates"].overruled == "the boat comes tomorrow"
    assert stops(desk.survey("7").findings) == ()
    assert stops(desk.survey("6").findings)
    ready.uphold("pending-updates")
    assert stops(desk.survey("7").findings)
    desk.machine.files.write(
        "/var/lib/dpkg/status",
        (
            desk.machine.files.read("/var/lib/dpkg/status", 1 << 24).replace(
                b"install ok installed", b"install ok unpacked", 1
            )
        ),
    )
    with pytest.raises(Refused, match="must be mended"):
        ready.overrule(desk.survey("7"), "broken-packages", "never mind")


def test_a_note_stops_the_other_machines_of_its_leg_until_it_is_lifted(stand_in):
    writer, reader, other = stand_in("dunlin"), stand_in("petrel"), stand_in("gannet")
    note = Readiness(writer).write_note(writer.survey("7"), "wait", "the gauge\x1b[2J is lost")
    standing = [f for f in stops(reader.survey("7").findings) if f.id == "field-notes"]
    assert len(standing) == 1 and standing[0].can_be_overruled
    assert not [f for f in stops(other.survey("5.2").findings) if f.id == "field-notes"]
    with pytest.raises(Refused, match="is none of"):
        Readiness(writer).write_note(writer.survey("7"), "urgent", "x")
    with pytest.raises(Refused, match="no note 99"):
        Readiness(reader).lift_note(99, "")
    Readiness(reader).lift_note(note.id, "fixed in 1.1")
    assert not stops(reader.survey("7").findings)
    assert reader.field_notes()[0].lifted == "fixed in 1.1"


def test_guests_and_maintenance_are_left_as_they_were_also_when_the_crossing_is_given_up(stand_in):
    desk = stand_in("avocet")
    root = desk.machine.root
    ready = Readiness(desk)
    ready.set_maintenance(
        "systemctl stop quay-guests.service", "systemctl start quay-guests.service"
    )
    around = surroundings_for(read_decisions(desk.machine), desk.facts())
    assert [guest.name for guest in around.guests] == ["tide-archive", "mail-relay", "map-tiles"]
    brief = CrossBrief("deb", Plans(desk).make("7").legs, 0.0, around)
    begin(desk, brief, "cross")
    # The crossing is killed while everything is shut down, then given up for a return.
    at = next(seq for seq in range(4, 20) if _killed_after_snapshot(desk, seq))
    assert at and _running(root) == {
        "old-gauge": False,
        "tide-archive": False,
        "mail-relay": False,
        "map-tiles": False,
    }
    desk.logbook().set_state("cross", "stopped")
    way_back = desk.snapshots.all()[0].id
    back = carried_out(desk, ReturnBrief("deb", way_back, "given up", around), "back")
    assert back.state == "done" and back.warnings == ()
    assert _running(root) == {
        "old-gauge": False,
        "tide-archive": True,
        "mail-relay": True,
        "map-tiles": True,
    }
    units = {unit.name: unit.active for unit in live.load(root).units}
    assert units["quay-guests.service"] == "active"


def test_a_return_waits_for_what_a_crossing_before_left_at_work(stand_in):
    desk = stand_in("petrel")
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs, 0.0), "cross")
    at = next(seq for seq in range(4, 20) if _killed_after_snapshot(desk, seq, "petrel"))
    desk.logbook().set_state("cross", "stopped")
    jobs = desk.machine.jobs
    while at and jobs.running():
        time.sleep(0.05)
    late = desk.machine.root / "etc/written-late"
    argv = ("sh", "-c", f"sleep 2; echo late > {late}")
    launch(desk.machine.state.beneath / "jobs/left-behind", argv, {}, argv)
    assert jobs.running() == ("left-behind",)
    back = carried_out(desk, ReturnBrief("deb", desk.snapshots.all()[0].id, "given up"), "back")
    assert back.state == "done" and jobs.state_of("left-behind").exit_code == 0
    assert not late.exists()


def _killed_after_snapshot(desk: Desk, seq: int, name: str = "avocet") -> bool:
    status = carry_out(desk.machine.root, name, "cross", ("after", seq))
    assert os.WIFSIGNALED(status)
    return bool(desk.snapshots.all())


def _running(root) -> dict[str, bool]:
    return {guest.name: guest.running for guest in live.load(root).guests}


def test_a_stubborn_guest_stops_an_unattended_crossing_with_nothing_changed(stand_in, monkeypatch):
    monkeypatch.setattr("brave_bridge.core.crossing.guests.PATIENCE_SECONDS", 1)
    monkeypatch.setattr("brave_bridge.core.crossing.guests.await_off.__defaults__", (1,))
    desk = stand_in("avocet")
    root = desk.machine.root
    described = live.load(root)
    described.guests[1].stubborn = True
    live.save(root, described)
    before = contents(root)
    around = surroundings_for(read_decisions(desk.machine), desk.facts())
    plans = Plans(desk).make("7").legs
    outcome = carried_out(desk, CrossBrief("deb", plans, 0.0, around), "cross")
    assert (outcome.state, outcome.at) == ("stopped", "guests")
    assert "mail-relay does not shut down" in outcome.why
    assert contents(root) == before
    assert _running(root)["tide-archive"] and _running(root)["mail-relay"]


def test_the_settings_backup_is_read_by_common_tools(stand_in, tmp_path):
    desk = stand_in("petrel")
    made = Readiness(desk).back_up_settings(tmp_path / "elsewhere")
    folder = tmp_path / "elsewhere"
    subprocess.run(
        ["sha256sum", "--check", "--quiet", *folder.glob("*.sha256")], cwd=folder, check=True
    )
    out = tmp_path / "out"
    out.mkdir()
    wanted = ["etc/quay-webd/webd.conf", "brave-bridge/packages.txt"]
    subprocess.run(["tar", "--zstd", "-xf", made.path, "-C", out, *wanted], check=True)
    assert (out / wanted[0]).read_text().startswith("workers 8")
    assert "quay-webd:amd64\t1.18-6+q3\tinstall" in (out / wanted[1]).read_text()
    index = (folder / made.index.rpartition("/")[2]).read_text()
    assert "etc/apt/trusted.gpg.d/quayside.asc" in index and made.left_out == ()
    assert found(desk)["settings-backup"].verdict is Verdict.CAUTION
    Readiness(desk).back_up_settings()
    assert found(desk)["settings-backup"].verdict is Verdict.CLEAR


def test_a_confirmed_backup_and_a_window_are_held_against_the_plan(stand_in):
    desk = stand_in("petrel")
    ready = Readiness(desk)
    ready.confirm_backup()
    ready.set_window("22:00-22:01")
    Plans(desk).make("7")
    slow = msgspec.structs.replace(ready.decisions, speeds=Speeds(link=2000.0, disk=1e6))
    change_decisions(desk.machine, lambda _: slow)
    after = found(desk)
    assert after["data-backup"].verdict is Verdict.CLEAR
    assert ready.decisions.window == Window("22:00", 1)
    assert after["maintenance-window"].verdict is Verdict.CAUTION
    ready.set_window("22:00-21:00")
    assert found(desk)["maintenance-window"].verdict is Verdict.CLEAR
    ready.set_window("")
    assert found(desk)["maintenance-window"].verdict is Verdict.NOT_APPLICABLE
    for wrong in (lambda: ready.set_window("22"), lambda: ready.confirm_backup("yesterday")):
        with pytest.raises(Refused):
            wrong()


def test_an_estimate_is_kept_beside_what_it_really_took(stand_in):
    desk = stand_in("petrel")
    kept = Plans(desk).make("7")
    guess = desk.survey("7").estimate
    assert guess.basis == "measured here: disk"
    # An hour was promised, far more than any machine takes for it: what is learnt is less.
    begin(desk, CrossBrief("deb", kept.legs, 3600.0))
    carry_out(desk.machine.root, "petrel", "trial")
    restart = RemedyBrief("restart", (("systemctl", "reboot"),))
    carried_out(desk, restart, "restart")
    Plans(desk).make("8")
    learnt = desk.survey("8").estimate
    assert "corrected by one crossing" in learnt.basis
    assert learnt.seconds < guess.seconds


def test_a_survey_says_what_changed_since_the_last_one(stand_in):
    desk = stand_in("petrel")
    first = desk.survey()
    assert first.before == "" and first.changes == ()
    remember(desk.target, first)
    described = live.load(desk.machine.root)
    described.units[1].active = "failed"
    described.stale = {}
    live.restart(desk.machine.root)
    live.save(desk.machine.root, described)
    second = desk.survey()
    assert second.before == first.facts.taken_at
    assert {(c.id, c.is_worse) for c in second.changes} == {
        ("failed-services", True),
        ("stale-programs", False),
    }


def test_the_machines_own_table_of_releases_counts_before_ours(stand_in):
    desk = stand_in("petrel")
    desk.machine.files.write(
        "/usr/lib/os-release", b'ID=debian\nVERSION_ID="12"\nVERSION_CODENAME=bookworm\n'
    )
    ours = desk.survey()
    table = (
        b"version,codename,series,created,release,eol,eol-lts\n"
        b"12,Bookworm,bookworm,2021-08-14,2023-06-10,2026-06-10,2029-01-31\n"
    )
    desk.machine.files.write("/usr/share/distro-info/debian.csv", table)
    told = desk.survey()
    assert str(told.release.support_ends) == "2029-01-31" != str(ours.release.support_ends)
    assert told.route.legs[0].end.key == "trixie"
    window = next(f for f in told.findings if f.id == "support-window")
    assert "debian.csv" in window.evidence


def test_a_catalogue_file_of_ones_own_is_read(tmp_path):
    line = (
        'id = "northlight"\nname = "Northlight OS"\nfamily = "deb"\nos_ids = ["northlight"]\n'
        'rule = "one after the other"\nreleases = [{ key = "1", version = "1", codename = "a",'
        " support_ends = 2030-01-01 }]\n"
    )
    (tmp_path / "brave-bridge/releases").mkdir(parents=True)
    (tmp_path / "brave-bridge/releases/own.toml").write_text(line)
    code = "from brave_bridge.workbench.lines import all_lines; print(all_lines()[-1].name)"
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "XDG_CONFIG_HOME": str(tmp_path)},
    )
    assert done.stdout == "Northlight OS\n"


def test_a_runner_that_fails_itself_still_puts_back_what_was_entered(stand_in, monkeypatch):
    desk = stand_in("avocet")
    root = desk.machine.root
    ready = Readiness(desk)
    ready.set_maintenance(
        "systemctl stop quay-guests.service", "systemctl start quay-guests.service"
    )
    around = surroundings_for(read_decisions(desk.machine), desk.facts())
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs, 0.0, around), "trial")
    carry_out(root, "avocet", "trial", ("after", 8))
    assert not _running(root)["tide-archive"]

    def broken(self):
        raise RuntimeError("for a test")

    monkeypatch.setattr("brave_bridge.runner.durable.DurableRun.carry_out", broken)
    monkeypatch.setattr(run, "Desk", lambda target: desk)
    assert run.main(["--demo", "avocet", "trial"]) == 0
    outcome = desk.logbook().procedure("trial").outcome
    assert (outcome.state, outcome.at, outcome.warnings) == ("failed", "the runner itself", ())
    assert _running(root)["tide-archive"] and _running(root)["map-tiles"]
    units = {unit.name: unit.active for unit in live.load(root).units}
    assert units["quay-guests.service"] == "active"
