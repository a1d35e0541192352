"""Repeated proofs: made when they are due and one at a time; ways back end only behind the last."""

from datetime import UTC, datetime, timedelta

import msgspec
import pytest

from brave_bridge.core.proof.repeats import planned_repeats
from brave_bridge.machines.standin import live
from brave_bridge.runner.briefs import CrossBrief, SnapshotBrief
from brave_bridge.runner.expiry import fates_of
from brave_bridge.runner.repeated_proofs import LOCK, REPEATS
from brave_bridge.workbench.kept.proof_schedule import set_schedule
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.proofs import proving
from brave_bridge.workbench.proofs.proving import (
    forget_repeats,
    plan_repeats,
    prove_what_is_due,
)
from brave_bridge.workbench.refusal import Refused
from tests.support.runs import begin, carry_out


@pytest.fixture
def clock(monkeypatch):
    """The time as these proofs see it."""

    class Clock:
        moment = datetime.now(UTC)

        def later(self, hours: float) -> None:
            self.moment += timedelta(hours=hours)

        def __call__(self) -> str:
            return self.moment.isoformat(timespec="seconds")

    made = Clock()
    monkeypatch.setattr(proving, "now", made)
    return made


@pytest.fixture
def crossed(stand_in, monkeypatch, tmp_path, clock):
    """petrel behind a crossing, with its repeated proofs planned."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    desk = stand_in("petrel")
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs))
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    row = desk.logbook().procedure("trial")
    assert row.outcome.proof.passed
    plan_repeats(desk, row, row.outcome.proof)
    return desk


def fates(desk):
    at = (datetime.now(UTC) + timedelta(days=400)).isoformat(timespec="seconds")
    return {
        fate.id: fate
        for fate in fates_of(desk.machine, desk.snapshots, desk.snapshots.listed(), at)
    }


def break_something(desk) -> None:
    described = live.load(desk.machine.root)
    described.units[0].active = "failed"
    live.save(desk.machine.root, described)


def mend_it(desk) -> None:
    described = live.load(desk.machine.root)
    described.units[0].active = "active"
    live.save(desk.machine.root, described)


def test_each_is_made_once_when_its_time_has_come(crossed, clock):
    assert prove_what_is_due(crossed)[1] is None
    for hours, left in ((1.01, 2), (24, 1), (49, 0)):
        clock.later(hours)
        repeats, proof = prove_what_is_due(crossed)
        assert proof.passed and len(repeats.ahead) == left
        assert prove_what_is_due(crossed)[1] is None
    assert repeats.are_done and repeats.last_day == clock()


def test_the_way_back_stays_until_the_last_has_passed(crossed, clock):
    (way_back,) = crossed.logbook().procedure("trial").outcome.ways_back
    assert not fates(crossed)[way_back].goes
    assert "last time" in fates(crossed)[way_back].why
    clock.later(100)
    assert prove_what_is_due(crossed)[0].are_done
    assert "last time" not in fates(crossed)[way_back].why


def test_a_cure_that_comes_undone_is_told_and_keeps_the_way_back(crossed, clock):
    (way_back,) = crossed.logbook().procedure("trial").outcome.ways_back
    clock.later(100)
    break_something(crossed)
    repeats, proof = prove_what_is_due(crossed)
    assert not proof.passed and repeats.came_undone() == repeats.made[-1].worse
    assert not repeats.are_done and not fates(crossed)[way_back].goes
    # One that did not pass is due until it does, and stands once while it says the same.
    for _ in range(3):
        clock.later(0.1)
        assert len(prove_what_is_due(crossed)[0].made) == 1
    mend_it(crossed)
    clock.later(0.1)
    repeats, proof = prove_what_is_due(crossed)
    assert proof.passed and repeats.are_done and not repeats.came_undone()


def test_only_one_runs(crossed, clock):
    clock.later(2)
    held = crossed.machine.state.hold(LOCK)
    assert prove_what_is_due(crossed)[1] is None
    held.close()
    assert prove_what_is_due(crossed)[1] is not None


def test_the_screen_says_when_one_is_due_and_what_came_undone(crossed, clock):
    repeats = REPEATS.read(crossed.machine.state)
    past = tuple(
        (datetime.fromisoformat(moment) - timedelta(hours=2)).isoformat() for moment in repeats.due
    )
    REPEATS.change(crossed.machine.state, lambda _: msgspec.structs.replace(repeats, due=past))
    from brave_bridge.workbench.reading import _read
    from brave_bridge.workbench.record import MachineRecord

    blank = MachineRecord(name="petrel", about="", words=())
    record = _read(crossed, blank, "")
    assert record.next.action == "prove"
    break_something(crossed)
    prove_what_is_due(crossed, though_not_due=True)
    record = _read(crossed, blank, "")
    assert not record.proof.passed and record.next.workspace == "proof"
    from brave_bridge.workbench.pages.proof import proof_page

    rows = proof_page(record).rows
    assert rows[0].key == "repeats" and rows[1].cells[4] == "came undone since the crossing"


def test_a_damaged_record_keeps_every_way_back(crossed):
    (way_back,) = crossed.logbook().procedure("trial").outcome.ways_back
    crossed.machine.state.write("proofs.json", b"{")
    fate = fates(crossed)[way_back]
    assert not fate.goes and "a person decides" in fate.why


def test_the_schedule_can_be_changed_and_a_return_ends_it(crossed, clock):
    set_schedule("demo", (2.0, 0.5))
    with pytest.raises(Refused, match="hours are from"):
        set_schedule("demo", (-1.0,))
    row = crossed.logbook().procedure("trial")
    assert len(plan_repeats(crossed, row, row.outcome.proof).due) == 2
    forget_repeats(crossed)
    clock.later(1000)
    assert prove_what_is_due(crossed)[1] is None
    set_schedule("demo", ())
    assert plan_repeats(crossed, row, row.outcome.proof).are_done


def test_due_moments_are_in_order():
    proof = msgspec.convert({"passed": True, "differences": (), "same": ()}, type=proving.Proof)
    made = planned_repeats("x", "2026-11-29T10:00:00+00:00", proof, (24.0, 1.0))
    assert made.due == ("2026-11-29T11:00:00+00:00", "2026-11-30T10:00:00+00:00")


def test_while_something_is_under_way_nothing_is_proven(crossed, clock):
    clock.later(2)
    begin(crossed, SnapshotBrief("by hand"), "next")
    assert prove_what_is_due(crossed)[1] is None
    crossed.logbook().set_state("next", "stopped")
    assert prove_what_is_due(crossed)[1] is not None
