"""Every going back is proven; what may only be late is waited for."""

import msgspec

from brave_bridge.core.crossing.around_restart import AroundRestart
from brave_bridge.core.crossing.prove_patiently import PAUSES, STARTING_MOST, prove_patiently
from brave_bridge.core.crossing.replies import (
    Awaited,
    Compared,
    Done,
    FactsRead,
    Failed,
    Restarted,
    Restored,
)
from brave_bridge.core.crossing.requests import (
    AwaitAnswer,
    LetPass,
    ReadFacts,
    Restart,
    Run,
)
from brave_bridge.core.crossing.surroundings import Setting
from brave_bridge.core.crossing.ways_back.go_back import GoingBack
from brave_bridge.core.formats.guests import Guest
from brave_bridge.core.proof.alike import hold_against
from brave_bridge.core.survey.activity import Activity
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from tests.core.test_cross_script import Machine, drive
from tests.support.facts import facts

SWAPPED = Restored(3, 0, 0, 0.1, restart_needed=True)


def seen(**topics: dict[str, str]) -> Facts:
    made = tuple(TopicSeen(name, values, "here") for name, values in topics.items())
    return msgspec.structs.replace(facts(), topics=made)


GOOD = seen(units={"webd.service": "active/running enabled"}, answers={"tcp 22": "speaks first"})
BAD = seen(units={"webd.service": "inactive/dead enabled"}, answers={"tcp 22": "speaks first"})


def reading(machine: Machine, *found: Facts) -> Machine:
    """A machine that is read as these, one after the other, and as the last of them from then."""
    for one in found:
        times = 200 if one is found[-1] else 1
        machine.instead(lambda r: isinstance(r, ReadFacts), FactsRead(one), times=times)
    return machine


def going_back(machine: Machine, baseline: Facts | None, around=AroundRestart()):
    return drive(GoingBack("s-1", None, around=around).carry_out(baseline), machine)


def returning(restored: Restored, *found: Facts) -> Machine:
    machine = Machine().instead(lambda r: type(r).__name__ == "RestoreSnapshot", restored)
    machine.instead(lambda r: isinstance(r, Restart), Restarted("another", 30.0))
    return reading(machine, *found)


def test_a_return_is_held_against_what_was_read_before_its_way_back():
    outcome = going_back(returning(SWAPPED, GOOD), GOOD)
    assert outcome.state == "done" and outcome.proof.passed
    assert {"every covered path", "units"} <= {one.subject for one in outcome.proof.same}


def test_a_return_that_came_up_worse_says_so():
    outcome = going_back(returning(SWAPPED, BAD), GOOD)
    assert outcome.state == "done" and not outcome.proof.passed
    assert [one.subject for one in outcome.proof.worse] == ["webd.service"]


def test_without_a_baseline_its_files_are_what_is_proven():
    outcome = going_back(returning(SWAPPED, BAD), None)
    assert outcome.proof.passed and [o.subject for o in outcome.proof.same] == [
        "every covered path"
    ]


def test_what_runs_of_before_is_proven_only_behind_its_restart():
    outcome = going_back(returning(Restored(3, 1, 10, 0.1, running_since_ns=5), BAD), GOOD)
    assert outcome.proof.passed
    assert any("then prove it: brave-bridge proof" in told for told in outcome.warnings)


def test_guests_and_maintenance_surround_the_restart_of_a_return_and_hold_none_up():
    here = msgspec.structs.replace(
        GOOD, activity=Activity(guests=(Guest("tide-archive", "libvirt", "running"),))
    )
    machine = returning(SWAPPED, here)
    machine.instead(lambda r: isinstance(r, Run) and r.argv == ("enter",), Failed("x", "broken"))
    machine.instead(lambda r: isinstance(r, AwaitAnswer), Awaited("shut off", 1.0))
    around = AroundRestart((Setting(("enter",), ("leave",)),))
    outcome = going_back(machine, GOOD, around)
    assert outcome.state == "done"
    assert any(told.startswith("enter: ") and "broken" in told for told in outcome.warnings)
    titles = [r.title for r in machine.asked]
    restarted = titles.index("Restart into the system that came back")
    assert titles.index("Shut down tide-archive") < restarted < titles.index("Start tide-archive")
    assert titles.index("Leave the maintenance state") < titles.index("Read the machine again")


def proven(*found: Facts):
    """What a patient proof comes to, and how often time was let pass."""
    machine = reading(Machine(), *found)
    machine.instead(lambda r: isinstance(r, LetPass), Done(), times=200)
    _, proof = drive(prove_patiently(GOOD, lambda after: hold_against(GOOD, after)), machine)
    return proof, [r.seconds for r in machine.asked if isinstance(r, LetPass)], machine


def test_what_comes_up_late_is_waited_for():
    proof, pauses, machine = proven(BAD, BAD, GOOD)
    assert proof.passed and pauses == list(PAUSES[:2])
    reads = [r for r in machine.asked if isinstance(r, ReadFacts)]
    assert all(r.answered == {"tcp 22": "speaks first"} for r in reads)


def test_what_stays_worse_is_worse():
    proof, pauses, _ = proven(BAD)
    assert not proof.passed and pauses == list(PAUSES)


def test_while_the_boot_goes_on_it_is_waited_longer():
    starting = msgspec.structs.replace(BAD, activity=Activity(is_starting=True))
    proof, pauses, _ = proven(*[starting] * 20, GOOD)
    assert proof.passed and len(pauses) == 20
    _, pauses, _ = proven(starting)
    assert len(pauses) == STARTING_MOST + len(PAUSES), "not for ever"


def test_what_does_not_come_up_by_itself_is_not_waited_for():
    fewer = seen(units=GOOD.topics[0].values, answers=GOOD.topics[1].values)
    before = msgspec.structs.replace(
        fewer, topics=(*fewer.topics, TopicSeen("accounts", {"user isla": "1001"}, "here"))
    )
    after = msgspec.structs.replace(
        fewer, topics=(*fewer.topics, TopicSeen("accounts", {}, "here"))
    )
    machine = Machine().instead(lambda r: isinstance(r, ReadFacts), FactsRead(after))
    _, proof = drive(prove_patiently(before, lambda now: hold_against(before, now)), machine)
    assert not proof.passed and not [r for r in machine.asked if isinstance(r, LetPass)]


def test_a_return_whose_files_differ_is_not_proven():
    machine = returning(SWAPPED, GOOD)
    machine.instead(
        lambda r: type(r).__name__ == "CompareWithSnapshot", Compared(1, ("/a: missing",))
    )
    assert going_back(machine, GOOD).state == "failed"
