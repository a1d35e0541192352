"""Legs to another edition: by a key that is in nothing that is written, restarted, activated."""

import json

import pytest

from brave_bridge.core.licensed.key import grouped
from brave_bridge.core.licensed.system import LICENCE_FILE, SYSTEM_FILE
from brave_bridge.core.plan.exchange_steps import EditionStep
from brave_bridge.machines.standin import licence_service, live
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.runner.briefs import CrossBrief, ReturnBrief
from brave_bridge.runner.key_desk import WITHDRAWN
from brave_bridge.workbench.planning.plans import Plans
from tests.standin.test_restarts import anew
from tests.support.deaths import ends_the_same_after_each_death
from tests.support.keys import CREW, HARBOUR, USED_UP, giving
from tests.support.runs import begin, carry_out, contents, outcome_of


@pytest.fixture
def desk(stand_in):
    return stand_in("fulmar")


def cross(desk, to: str, *keys: str, name: str = "trial"):
    plan = Plans(desk).make(to)
    begin(desk, CrossBrief("licensed", plan.legs), name)
    return gone_on(desk, *keys, name=name)


def gone_on(desk, *keys: str, name: str = "trial"):
    with giving(desk.machine.root, *keys):
        carry_out(desk.machine.root, "fulmar", name)
    return outcome_of(desk.machine.root, "fulmar", name)


def told(desk, path: str) -> dict:
    return json.loads(desk.machine.files.read(path, 1_000_000))


def faulty(desk, fault: str) -> None:
    """Let the licence service have a fault."""
    book = told(desk, licence_service.BOOK)
    desk.machine.files.write(licence_service.BOOK, json.dumps(book | {"fault": fault}).encode())


def test_the_plan_says_what_the_edition_means_and_asks_for_no_key(desk):
    crew, harbour = Plans(desk).make("edition:crew"), Plans(desk).make("edition:harbour")
    step = crew.legs[0].step(EditionStep)
    assert (step.old, step.new, step.name, step.mark) == ("Trial", "Crew", "crew", "CR")
    assert {row.what: row.versions for row in step.rows()} == {
        "edition": "Trial → Crew",
        "it goes on when the trial would end": "added",
        "more than 25 people": "allowed → forbidden",
    }
    assert any("never leaves Harbour" in words for words in harbour.legs[0].steps[0].risks)
    assert not any("never leaves" in words for words in step.risks)


def test_trial_becomes_crew_is_activated_and_goes_back(desk):
    before = contents(desk.machine.root)
    outcome = cross(desk, "edition:crew", CREW)
    assert outcome.state == "done" and outcome.proof.passed, outcome
    licence = told(desk, LICENCE_FILE)
    assert (licence["edition"], licence["activation"], licence["trial"]) == (
        "crew",
        "active",
        False,
    )
    assert told(desk, SYSTEM_FILE)["edition"] == "crew"
    proved = {one.subject: (one.before, one.after) for one in outcome.proof.differences}
    assert proved["edition"] == ("Trial", "Crew")
    assert proved["activation"] == ("none", "active") and proved["trial mark"] == ("there", "gone")
    assert proved["licence key"] == ("none", f"…{CREW[-4:]}")
    findings = {one.id: one for one in anew(desk).survey().findings}
    assert "is activated" in findings["activation"].title
    begin(desk, ReturnBrief("licensed", outcome.ways_back[0], "trial"), "back")
    carry_out(desk.machine.root, "fulmar", "back")
    assert outcome_of(desk.machine.root, "fulmar", "back").state == "done"
    assert contents(desk.machine.root) == before


@pytest.mark.parametrize(
    ("key", "words"),
    [
        (USED_UP, "this key is used up"),
        ("CR" + "0" * 17, "does not know this key"),
    ],
)
def test_a_key_that_its_service_refuses_changes_nothing_and_says_why(desk, key, words):
    from brave_bridge.core.licensed.key import check_character

    whole = key if len(key) == 20 else key + check_character(key)
    before = contents(desk.machine.root)
    outcome = cross(desk, "edition:crew", whole)
    assert outcome.state == "stopped" and words in outcome.why, outcome
    assert outcome.safe == "nothing was changed" and contents(desk.machine.root) == before


def test_what_is_no_key_is_refused_where_it_is_given_and_waited_on(desk):
    plan = Plans(desk).make("edition:crew")
    begin(desk, CrossBrief("licensed", plan.legs))
    wrong = CREW.replace("8", "B", 1)
    with giving(desk.machine.root, wrong, HARBOUR, CREW) as said:
        carry_out(desk.machine.root, "fulmar", "trial")
    assert outcome_of(desk.machine.root, "fulmar", "trial").state == "done"
    assert "mistyped" in said[0] and "no key for edition Crew" in said[1] and said[2] == "taken"


def test_whoever_gives_no_key_stops_it_with_nothing_changed(desk):
    before = contents(desk.machine.root)
    outcome = cross(desk, "edition:crew", WITHDRAWN.decode())
    assert outcome.state == "stopped" and "no key for edition Crew was given" in outcome.why
    assert contents(desk.machine.root) == before


def spelled(key: str) -> list[bytes]:
    letters = (key, grouped(key), grouped(key, " "), key.lower(), grouped(key).lower())
    return [word.encode() for word in letters]


def test_the_key_is_in_no_file_that_was_written_and_in_no_command(desk, tmp_path):
    seen = tmp_path / "commands"
    handed = StandInMachine._wrapped

    def noted(machine, argv):
        with open(seen, "a") as stream:
            stream.write(f"{argv}\n")
        return handed(machine, argv)

    plan = Plans(desk).make("edition:crew")
    begin(desk, CrossBrief("licensed", plan.legs))
    try:
        StandInMachine._wrapped = noted
        outcome = gone_on(desk, CREW)
    finally:
        StandInMachine._wrapped = handed
    assert outcome.state == "done" and "convert" in seen.read_text()
    begin(desk, ReturnBrief("licensed", outcome.ways_back[0], "trial"), "back")
    carry_out(desk.machine.root, "fulmar", "back")
    places = [place for place in desk.machine.root.rglob("*") if place.is_file()]
    searched = 0
    for place in [*places, seen]:
        content = place.read_bytes()
        searched += len(content)
        assert not any(word in content for word in spelled(CREW)), place
    names = {place.name for place in places}
    assert searched > 100_000 and "logbook.sqlite" in names, sorted(names)
    entries = anew(desk).logbook().entries("trial")
    assert any(CREW[-4:] in entry.note for entry in entries if entry.kind == "UseKey")


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        (licence_service.DOWN, "does not answer"),
        (licence_service.CLOCK, "clock is off"),
        (licence_service.LIES, "no licence service"),
        (licence_service.HUGE, "no licence service"),
        (licence_service.BABBLES, "no licence service"),
        (licence_service.SLOW, "does not answer"),
    ],
)
def test_what_a_bad_service_answers_is_never_a_yes(desk, fault, words):
    before = contents(desk.machine.root)
    faulty(desk, fault)
    outcome = cross(desk, "edition:crew", CREW)
    assert outcome.state == "stopped" and words in outcome.why, outcome
    assert "\x1b" not in outcome.why and len(outcome.why) < 400
    assert contents(desk.machine.root) == before


def answering(desk, answers: dict[str, str]) -> None:
    """Answer what the procedure will ask, ahead of it: by the beginning of a question's key."""
    from brave_bridge.store.rows import QuestionRow, now

    logbook = anew(desk).logbook()
    for key, answer in answers.items():
        logbook.ask(QuestionRow("trial", key, "", "", (), "", now(), answer, "person"))
    logbook.close()


def test_without_its_service_it_converts_and_is_activated_by_a_code(desk):
    plan = Plans(desk).make("edition:crew")
    begin(desk, CrossBrief("licensed", plan.legs))
    faulty(desk, licence_service.DOWN)
    answering(
        desk,
        {"licence-service-1": "go on without it", "activation-0-1": "activate by a code"},
    )
    code = licence_service.code_of(licence_service.digest_of(CREW), "fulmar")
    outcome = gone_on(desk, CREW, licence_service.confirmation_of(code))
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert told(desk, LICENCE_FILE)["activation"] == "active" and not outcome.warnings
    assert told(desk, licence_service.BOOK)["keys"][licence_service.digest_of(CREW)]["left"] == 2


def test_a_conversion_that_ends_with_an_error_is_judged_by_what_comes_up(desk):
    book = told(desk, licence_service.BOOK) | {"convert_fault": "0x5e77: a restart is pending"}
    desk.machine.files.write(licence_service.BOOK, json.dumps(book).encode())
    outcome = cross(desk, "edition:crew", CREW)
    assert outcome.state == "done" and outcome.proof.passed, outcome
    (warned,) = [words for words in outcome.warnings if "when it converted" in words]
    assert "ended with 1" in warned and "a restart is pending" in warned


def test_an_activation_left_for_later_is_told_and_a_finding(desk):
    plan = Plans(desk).make("edition:crew")
    begin(desk, CrossBrief("licensed", plan.legs))
    faulty(desk, licence_service.DOWN)
    answering(desk, {"licence-service-1": "go on without it"})
    outcome = gone_on(desk, CREW)
    assert outcome.state == "done" and not outcome.proof.passed
    assert any("not activated yet" in words for words in outcome.warnings)
    worse = [one for one in outcome.proof.differences if one.subject == "activation"]
    assert worse[0].after == "waiting" and "not activated" in worse[0].meaning
    found = {one.id: one for one in anew(desk).survey().findings}
    assert "is not activated yet" in found["activation"].title


def test_an_edition_that_does_not_come_up_is_converted_again(desk):
    described = live.load(desk.machine.root)
    described.troubles = [live.OLD_KERNEL]
    live.save(desk.machine.root, described)
    outcome = cross(desk, "edition:crew", CREW)
    assert outcome.state == "failed" and "Trial came up, Crew was announced" in outcome.why
    again = anew(desk)
    leg = again.open_leg()
    begin(again, CrossBrief("licensed", leg.plans, begun=leg), "again")
    outcome = gone_on(desk, CREW, name="again")
    assert outcome.state == "done" and outcome.proof.passed, outcome


@pytest.mark.parametrize("moment", ["before", "after"])
def test_dead_at_every_request_it_ends_in_the_same_state(desk, tmp_path, moment):
    begin(desk, CrossBrief("licensed", Plans(desk).make("edition:crew").legs))
    start, folder = desk.machine.root, tmp_path / "deaths"
    with giving(folder, CREW, anywhere=True):
        assert ends_the_same_after_each_death(start, "fulmar", "trial", moment, folder) > 8
