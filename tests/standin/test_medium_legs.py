"""Legs from a medium: held against the machine, phases over restarts, the window to go back."""

import json
from datetime import date, timedelta

import pytest

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.licensed.system import (
    KEPT_FILE,
    KEPT_FOLDER,
    KEPT_LOG,
    PHASES_FILE,
    PROGRAMS_FILE,
    SYSTEM_FILE,
)
from brave_bridge.core.plan.exchange_steps import MediumStep
from brave_bridge.machines.standin import licensed, live
from brave_bridge.machines.standin.signing import make_detached_key
from brave_bridge.runner.briefs import CrossBrief, KeptBrief, ReturnBrief
from brave_bridge.runner.open_legs import OPEN_LEG
from brave_bridge.workbench.beginning import go_on
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.planning.tasks import tasks_of, tick
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.ways.kept_system import (
    begin_going_back,
    begin_keeping_longer,
    kept_here,
)
from tests.standin.test_restarts import anew
from tests.support.deaths import ends_the_same_after_each_death
from tests.support.runs import begin, carry_out, contents, outcome_of

MEDIUM = "/media/halyard-desk-11"


@pytest.fixture
def desk(stand_in):
    return stand_in("whimbrel")


def told(desk, path: str):
    return json.loads(desk.machine.files.read(path, 1_000_000))


def tell(desk, path: str, value) -> None:
    desk.machine.files.write(path, json.dumps(value).encode())


def carried_out(desk, brief, name: str = "trial"):
    begin(desk, brief, name)
    carry_out(desk.machine.root, "whimbrel", name)
    return outcome_of(desk.machine.root, "whimbrel", name)


def cross(desk, name: str = "trial"):
    return carried_out(desk, CrossBrief("licensed", Plans(desk).make("11").legs), name)


def medium(desk, folder: str = MEDIUM, **otherwise) -> None:
    """A medium as it should be, but for what is told."""
    line = licensed.licensed_line("halyard-desk")
    key, sign = make_detached_key("Halyard <releases@halyard.example>")
    desk.machine.files.write(licensed.KEY_FILE, key)
    desk.machine.files.remove_folder("/media/halyard-desk-11-nb")
    licensed.write_medium(desk.machine, folder, line, "11", sign, otherwise)


def test_the_medium_that_fits_is_found_and_goes_through_its_phases_and_back(desk):
    before = contents(desk.machine.root)
    step = Plans(desk).make("11").legs[0].step(MediumStep)
    assert (step.medium, step.build, step.phases) == (f"{MEDIUM}/medium.json", "11.0.210", 4)
    first = live.load(desk.machine.root).boots
    outcome = cross(desk)
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert live.load(desk.machine.root).boots == first + 4
    record = told(desk, PHASES_FILE)
    assert (record["state"], record["phase"], len(record["record"])) == ("done", 4, 5)
    assert told(desk, SYSTEM_FILE)["build"] == "11.0.210"
    proved = {one.subject: (one.before, one.after) for one in outcome.proof.differences}
    assert proved["restart"] == ("kernel 6.6.0-1", "up, kernel 6.12.0-1")
    assert proved["release"] == ("10", "11") and proved["build"] == ("10.0.4411", "11.0.210")
    outcome = carried_out(desk, ReturnBrief("licensed", outcome.ways_back[0], "trial"), "back")
    assert outcome.state == "done" and contents(desk.machine.root) == before


@pytest.mark.parametrize(
    ("otherwise", "words"),
    [
        ({"languages": ["nb"]}, "it is in nb, the machine in en"),
        ({"architecture": "arm64"}, "it is for arm64, the machine is amd64"),
        ({"editions": ["mate"]}, "it has mate, the machine is deckhand"),
        ({"line": "halyard"}, "it is of halyard, the machine is of halyard-desk"),
        ({"version": "12"}, "has 12"),
        ({"phases": 900}, "900 phases"),
        ({"files": [{"path": "../../etc/passwd", "size": 1, "sha256": "0" * 64}]}, "no file that"),
        ({"more": "than is known"}, "does not say what it is"),
    ],
)
def test_a_medium_that_does_not_fit_is_refused_in_words(desk, otherwise, words):
    medium(desk, **otherwise)
    with pytest.raises(Refused) as refusal:
        Plans(desk).make("11")
    assert words in str(refusal.value)


def test_a_medium_that_is_damaged_or_unsigned_is_refused(desk):
    medium(desk)
    place = desk.machine.files.place(f"{MEDIUM}/sources/store.img")
    content = place.read_bytes()
    place.write_bytes(content[:-1] + b"?")
    with pytest.raises(Refused, match="its sum is another"):
        Plans(desk).make("11")
    place.write_bytes(content[:-1])
    with pytest.raises(Refused, match="announced are"):
        Plans(desk).make("11")
    place.unlink()
    place.symlink_to("/etc/hostname")
    with pytest.raises(Refused, match="announced are"):
        Plans(desk).make("11")
    medium(desk)
    key, _ = make_detached_key("Somebody <somebody@example.org>")
    desk.machine.files.write(licensed.KEY_FILE, key)
    with pytest.raises(Refused, match="no key of this machine has signed it"):
        Plans(desk).make("11")


def test_a_medium_that_changed_since_the_plan_changes_nothing(desk):
    plan = Plans(desk).make("11")
    medium(desk, build="11.9.9")
    before = contents(desk.machine.root)
    outcome = carried_out(desk, CrossBrief("licensed", plan.legs))
    assert outcome.state == "stopped" and "11.9.9" in outcome.why, outcome
    assert contents(desk.machine.root) == before


def test_a_program_that_keeps_the_release_away_is_named(desk):
    programs = told(desk, PROGRAMS_FILE)
    programs[0] |= {"blocks": "11", "why": "its driver stops the new kernel"}
    tell(desk, PROGRAMS_FILE, programs)
    with pytest.raises(Refused, match="tide-table keeps it away: its driver"):
        Plans(desk).make("11")


def test_what_is_kept_is_chosen_and_what_that_loses_is_counted(desk):
    plans = Plans(desk)
    kept = plans.make("11")
    for keep, lost in (
        ("all", ()),
        ("files", ("3 programs: tide-table, label-printer, ledger", "the settings of")),
        ("nothing", ("2 accounts and their passwords", "at least 4 files of theirs")),
    ):
        kept = plans.decide(kept, "keep upgrade", keep)
        step = kept.legs[0].step(MediumStep)
        assert step.keep == keep
        assert all(any(words in one for one in step.lost) for words in lost), step.lost
    outcome = carried_out(desk, CrossBrief("licensed", kept.legs))
    assert outcome.state == "done" and told(desk, PROGRAMS_FILE) == []


def test_a_phase_that_fails_is_told_in_the_systems_own_words(desk):
    described = live.load(desk.machine.root)
    described.troubles = ["", "", live.OLD_KERNEL]
    live.save(desk.machine.root, described)
    outcome = cross(desk)
    assert outcome.state == "failed" and "a driver did not start" in outcome.why, outcome
    assert told(desk, SYSTEM_FILE)["build"] == "10.0.4411"
    again = anew(desk)
    leg = again.open_leg()
    outcome = carried_out(again, CrossBrief("licensed", leg.plans, begun=leg), "again")
    assert outcome.state == "done" and outcome.proof.passed, outcome


@pytest.mark.parametrize("moment", ["before", "after"])
def test_dead_at_every_request_it_ends_in_the_same_state(desk, tmp_path, moment):
    begin(desk, CrossBrief("licensed", Plans(desk).make("11").legs))
    start, folder = desk.machine.root, tmp_path / "deaths"
    for path in (KEPT_FILE, PHASES_FILE):
        assert not desk.machine.files.is_file(path)
    assert ends_the_same_after_each_death(start, "whimbrel", "trial", moment, folder) > 14


# The window to go back


@pytest.fixture
def upgraded(desk):
    assert cross(desk).state == "done"
    return anew(desk)


def test_what_is_kept_tells_its_days_its_price_and_what_would_be_lost(upgraded):
    since = {"name": "label-maker", "version": "2.0", "installed": str(date.today())}
    tell(upgraded, PROGRAMS_FILE, [*told(upgraded, PROGRAMS_FILE), since])
    seen = kept_here(anew(upgraded))
    assert (seen.kept.version, seen.days_left, seen.programs) == ("10", 10, ("label-maker",))
    assert seen.kept.size > 10 << 30 and any("label-maker" in words for words in seen.losses)
    findings = {one.id: one for one in anew(upgraded).survey().findings}
    assert "10 days left to go back to 10" in findings["kept-system"].title


def test_going_back_within_the_window_leaves_programs_to_install_again(upgraded):
    since = {"name": "label-maker", "version": "2.0", "installed": str(date.today())}
    tell(upgraded, PROGRAMS_FILE, [*told(upgraded, PROGRAMS_FILE), since])
    with pytest.raises(Refused, match="no reason"):
        begin_going_back(anew(upgraded), " ")
    outcome = carried_out(anew(upgraded), KeptBrief(reason="labels print upside down"), "kept")
    assert outcome.state == "done" and outcome.again == ("label-maker 2.0",), outcome
    assert told(upgraded, SYSTEM_FILE)["build"] == "10.0.4411" and len(outcome.ways_back) == 1
    row = anew(upgraded).logbook().procedure("kept")
    assert row.outcome.again == outcome.again


def test_going_back_ends_a_leg_that_stands_open(desk):
    plans, before = Plans(desk).make("11").legs, desk.facts()
    assert carried_out(desk, CrossBrief("licensed", plans)).state == "done"
    upgraded = anew(desk)
    leg = OpenLeg(family="licensed", plans=plans, number=0, baseline=before, ways_back=("s-1",))
    OPEN_LEG.change(upgraded.machine.state, lambda _: leg)
    assert anew(upgraded).open_leg() is not None
    outcome = carried_out(anew(upgraded), KeptBrief(reason="labels print upside down"), "kept")
    assert outcome.state == "done" and anew(upgraded).open_leg() is None
    with pytest.raises(Refused, match="nothing is under way"):
        go_on(anew(upgraded))


def test_a_task_for_each_program_stands_until_it_is_ticked(upgraded):
    since = {"name": "label-maker", "version": "2.0", "installed": str(date.today())}
    tell(upgraded, PROGRAMS_FILE, [*told(upgraded, PROGRAMS_FILE), since])
    carried_out(anew(upgraded), KeptBrief(reason="labels print upside down"), "kept")
    (task,) = [one for one in tasks_of(anew(upgraded)) if one.key == "again:label-maker"]
    assert task.text == "Install label-maker 2.0 again" and not task.is_done
    tick(anew(upgraded), [task], task.key, is_done=True)
    assert [one.is_done for one in tasks_of(anew(upgraded)) if one.key == task.key] == [True]


def test_the_window_is_extended_as_far_as_the_system_lets_it(upgraded):
    wanted = str(date.today() + timedelta(days=40))
    days = (date.fromisoformat(wanted) - date.today()).days
    outcome = carried_out(anew(upgraded), KeptBrief(until=wanted, days=days), "longer")
    assert outcome.state == "done" and told(upgraded, KEPT_FILE)["until"] == wanted
    with pytest.raises(Refused, match="at most"):
        begin_keeping_longer(anew(upgraded), str(date.today() + timedelta(days=400)))
    with pytest.raises(Refused, match="no day"):
        begin_keeping_longer(anew(upgraded), "soon")


@pytest.mark.parametrize("cause", ["cleaned", "elapsed", "unknown"])
def test_why_it_is_gone_is_found_out_from_evidence(upgraded, cause):
    upgraded.machine.files.remove_folder(KEPT_FOLDER)
    words = "nobody wrote down why"
    if cause == "cleaned":
        line = "2026-11-28 disk-tidy.timer removed the system of before\n"
        upgraded.machine.files.write(KEPT_LOG, line.encode())
        words = "disk-tidy.timer removed"
    if cause == "elapsed":
        past = str(date.today() - timedelta(days=2))
        tell(upgraded, KEPT_FILE, told(upgraded, KEPT_FILE) | {"until": past})
        words = f"its time was over on {past}"
    with pytest.raises(Refused) as refusal:
        kept_here(anew(upgraded))
    assert words in str(refusal.value)
    findings = {one.id: one for one in anew(upgraded).survey().findings}
    assert findings["kept-system"].title == "The kept system 10 is gone"
    outcome = carried_out(anew(upgraded), KeptBrief(reason="it was better"), "kept")
    assert outcome.state == "stopped" and outcome.safe == "nothing was changed"
