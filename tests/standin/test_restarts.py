"""Stand-ins over legs with their restarts: what comes up well, wrong, late, or by hand."""

import pytest

from brave_bridge.core.crossing import restart as script
from brave_bridge.core.crossing.surroundings import Surroundings
from brave_bridge.machines.standin import live
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.decisions import read_decisions, surroundings_for
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.targets import Target
from tests.support.runs import answering, begin, carry_out, outcome_of


def described(desk: Desk, **changes) -> live.Live:
    """What goes on on a stand-in, changed."""
    known = live.load(desk.machine.root)
    for name, value in changes.items():
        setattr(known, name, value)
    live.save(desk.machine.root, known)
    return known


def cross(desk: Desk, to: str, *, guests: bool = False, **options):
    """Plan and cross in a child; the outcome, None where it rests."""
    legs = Plans(desk).make(to).legs
    around = (
        surroundings_for(read_decisions(desk.machine), desk.facts()) if guests else Surroundings()
    )
    begin(desk, CrossBrief("deb", legs, surroundings=around), **options)
    assert carry_out(desk.machine.root, desk.machine.name, "trial") == 0
    return outcome_of(desk.machine.root, desk.machine.name, "trial")


def anew(desk: Desk) -> Desk:
    return Desk(
        Target("demo", desk.machine.name), StandInMachine(desk.machine.name, desk.machine.root)
    )


def requests(desk: Desk, kind: str) -> list:
    return [e for e in anew(desk).logbook().entries("trial") if e.kind == kind]


def test_petrel_over_two_legs_with_both_restarts(stand_in):
    desk = stand_in("petrel")
    first = described(desk).boots
    outcome = cross(desk, "8")
    assert outcome.state == "done" and outcome.legs_done == 2, outcome
    now = live.load(desk.machine.root)
    assert now.boots == first + 2 and now.kernel == "6.11.0-2"
    facts = anew(desk).facts()
    assert not facts.activity.restart_wanted and facts.boot.kernel == now.kernel
    (row,) = [d for d in outcome.proof.differences if d.subject == "restart"]
    assert row.after == f"up, kernel {now.kernel}" and outcome.proof.passed
    assert len(requests(desk, "LookForStops")) == 1


def test_gannet_comes_up_with_the_old_kernel_first_and_is_restarted_again(stand_in):
    desk = stand_in("gannet")
    first = described(desk).boots
    outcome = cross(desk, "5.3")
    assert outcome.state == "done" and outcome.proof.passed, outcome
    now = live.load(desk.machine.root)
    assert now.boots == first + 3 and not now.troubles
    asked = [q.key for q in anew(desk).logbook().questions("trial") if "again" in q.key]
    assert asked == ["restart-0-0-again-1"]


def test_avocets_guests_go_down_once_and_come_up_once(stand_in):
    desk = stand_in("avocet")
    running = [guest.name for guest in described(desk).guests if guest.running]
    outcome = cross(desk, "7", guests=True)
    assert outcome.state == "done", outcome
    titles = [entry.title for entry in requests(desk, "Run")]
    for name in running:
        assert titles.count(f"Start {name}") == 1
        assert len([t for t in titles if t in (f"Shut down {name}", f"Switch {name} off")]) >= 1
    assert {g.name for g in live.load(desk.machine.root).guests if g.running} == set(running)
    order = [entry.title for entry in anew(desk).logbook().entries("trial")]
    assert order.index(f"Start {running[0]}") < order.index("Read the machine again")


@pytest.mark.parametrize("trouble", [live.OLD_KERNEL, live.EMERGENCY])
def test_what_comes_up_wrong_again_and_again_fails_and_can_be_gone_on_with(stand_in, trouble):
    desk = stand_in("petrel")
    described(desk, troubles=[trouble] * 2)
    outcome = cross(desk, "7")
    assert (outcome.state, outcome.at) == ("failed", "came up")
    assert "brave-bridge return" in outcome.next_step
    left = anew(desk).open_leg()
    assert left is not None and left.at == "came up"
    begin(desk := anew(desk), CrossBrief("deb", left.plans, begun=left), "again")
    assert carry_out(desk.machine.root, "petrel", "again") == 0
    mended = outcome_of(desk.machine.root, "petrel", "again")
    assert mended.state == "done" and mended.proof.passed
    assert anew(desk).open_leg() is None
    kinds = {e.kind for e in anew(desk).logbook().entries("again")}
    assert "TakeSnapshot" not in kinds and "Restart" in kinds


def test_a_service_that_does_not_come_up_is_told(stand_in):
    desk = stand_in("petrel")
    described(desk, troubles=["fails: quay-webd.service"])
    outcome = cross(desk, "7")
    assert "quay-webd.service fails since the restart" in outcome.warnings


def test_a_person_restarts_it_and_it_goes_on(stand_in):
    desk = stand_in("petrel")
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs), unattended=False)
    by_hand = {"restart-0-0": "I restart it myself"}
    answering(lambda: anew(desk), "trial", lambda asked: by_hand.get(asked.key, asked.default))
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    row = anew(desk).logbook().procedure("trial")
    assert row.state == "resting"
    # Going on before the restart rests again, without anything being done.
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    assert anew(desk).logbook().procedure("trial").state == "resting"
    live.restart(desk.machine.root)
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    assert outcome_of(desk.machine.root, "petrel", "trial").proof.passed


def test_a_machine_that_does_not_restart_waits_for_somebody(stand_in, monkeypatch):
    short = script.Restart

    def hasty(**fields):
        return short(limit_seconds=1, **fields)

    monkeypatch.setattr(script, "Restart", hasty)
    desk = stand_in("petrel")
    described(desk, troubles=[live.HANGS])
    assert cross(desk, "7") is None
    assert anew(desk).logbook().procedure("trial").state == "resting"
    (failed,) = [e for e in requests(desk, "Restart") if not e.ok]
    assert "did not come up" in failed.note
    live.restart(desk.machine.root)
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    assert outcome_of(desk.machine.root, "petrel", "trial").state == "done"
