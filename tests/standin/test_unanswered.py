"""A question without an answer is neither a regression nor a proof, and it is asked again."""

import pytest

from brave_bridge.core.proof.alike import hold_against
from brave_bridge.core.proof.difference import NOT_READ, REGRESSION
from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.families.registry import baseline
from brave_bridge.machines.queries import Answer, Seen
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.papers.proof_report import markdown
from brave_bridge.workbench.planning.plans import Plans
from tests.standin.test_seeded_regressions import changing, furnished, set_of, unit_off
from tests.support.runs import begin, carry_out

NEVER = 10_000.0
ASKED = {
    "systemctl list-units": "units",
    "systemctl list-unit-files": "units",
    "timedatectl": "clock",
    "virsh": "guests",
    "ip -json address": "network",
    "ip -json route": "network",
    "nft": "firewall",
    "zpool list": "pools",
}


@pytest.fixture
def machine(stand_in):
    made = stand_in("petrel").machine
    furnished(made)
    return made


def proof_with(machine, **changes):
    before = baseline(machine, "deb")
    for name, value in changes.items():
        set_of(name, value)(machine)
    answered = next(topic.values for topic in before.topics if topic.name == "answers")
    return hold_against(before, baseline(machine, "deb", answered))


@pytest.mark.parametrize("command", ASKED)
def test_who_does_not_answer_is_no_regression_and_no_proof(machine, command):
    proof = proof_with(machine, slow={command: NEVER})
    assert not proof.worse, proof.worse
    assert not proof.passed
    assert [one.topic for one in proof.not_read] == [ASKED[command]]
    assert "not all of it could be read" in proof.words


def test_without_its_program_the_kernel_tells_the_ports(machine):
    assert proof_with(machine, slow={"ss ": NEVER}).passed


@pytest.mark.parametrize("command", ASKED)
def test_who_answers_late_is_asked_again(machine, command):
    proof = proof_with(machine, slow={command: 50.0})
    assert proof.passed and not proof.differences, proof.differences


def test_a_machine_twenty_times_slower_is_as_good_as_before(machine):
    proof = proof_with(machine, slow={"": 20.0, "tcp 22": 15.0})
    assert proof.passed and not proof.differences, proof.differences


def test_what_is_worse_is_named_beside_what_did_not_answer(machine):
    before = baseline(machine, "deb")
    changing(unit_off)(machine)
    set_of("slow", {"systemctl list-unit-files": NEVER, "nft": NEVER})(machine)
    proof = hold_against(before, baseline(machine, "deb"))
    assert [one.subject for one in proof.worse] == ["watch.service"]
    assert {one.topic for one in proof.not_read} == {"units", "firewall"}


def test_what_was_not_read_before_is_not_new_and_broken(machine):
    set_of("slow", {"systemctl list-unit-files": NEVER, "zpool list": NEVER})(machine)
    before = baseline(machine, "deb")
    set_of("slow", {})(machine)
    proof = hold_against(before, baseline(machine, "deb"))
    assert not proof.worse and not proof.not_read


def test_a_command_that_fails_is_not_an_empty_answer(machine, monkeypatch):
    before = baseline(machine, "deb")
    gather = type(machine.files).gather

    def failing(files, queries):
        seen: Seen = gather(files, queries)
        for command in seen.answers:
            if "list-unit-files" in command or command[0] in ("ip", "virsh"):
                seen.answers[command] = Answer(1, "Failed to connect to bus: Connection timed out")
        return seen

    monkeypatch.setattr(type(machine.files), "gather", failing)
    proof = hold_against(before, baseline(machine, "deb"))
    assert not proof.worse
    assert {one.topic for one in proof.not_read} == {"units", "network", "guests"}
    assert all("ended with 1" in one.meaning for one in proof.not_read)


def test_the_report_and_the_repeats_say_so(machine):
    proof = proof_with(machine, slow={"nft": NEVER})
    report = "\n".join(markdown("petrel", "7 to 8", proof))
    assert "nothing worse was seen, and not all of it could be read" in report
    assert "## Not read, though it was before" in report
    repeats = Repeats("one", "2026-01-01T00:00:00+00:00").with_proof(proof, "2026-01-02")
    assert repeats.made[-1].words == "not all was read" and not repeats.made[-1].passed


def test_a_crossing_on_a_slow_machine_says_no_false_word(stand_in):
    desk = stand_in("petrel")
    set_of("slow", {"": 20.0, "tcp 22": 15.0})(desk.machine)
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs))
    code = carry_out(desk.machine.root, "petrel", "trial")
    outcome = desk.logbook().procedure("trial").outcome
    assert code == 0, outcome
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert not [one for one in outcome.proof.differences if one.verdict in (REGRESSION, NOT_READ)]
