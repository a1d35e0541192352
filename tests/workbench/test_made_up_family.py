"""A family from outside goes all the way: survey, route, plan, crossing, proof, return."""

import pytest

from brave_bridge.cli.plan_texts import plan_text
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.survey.findings import stops
from brave_bridge.runner.briefs import CrossBrief, ReturnBrief
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.members import FleetMember
from brave_bridge.workbench.pages.plan import plan_page
from brave_bridge.workbench.pages.route import route_page
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.reading import read_machine
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target
from tests.support.made_up_family import LEDGER, barge, installed
from tests.support.runs import begin, carry_out_on


@pytest.fixture
def target(tmp_path, monkeypatch) -> Target:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    with installed(tmp_path, monkeypatch):
        yield Target("tree", str(barge(tmp_path / "root")))


def crossed(target: Target, to: str, identifier: str):
    """Plan and cross to a stop in a process of its own; the outcome."""
    desk = Desk(target)
    assert not stops(desk.survey(to).findings)
    plan = Plans(desk).make(to)
    begin(desk, CrossBrief("hold", plan.legs), identifier)
    assert carry_out_on(lambda: Desk(target), identifier) == 0
    outcome = Desk(target).logbook().procedure(identifier).outcome
    assert outcome.state == "done" and outcome.proof.passed, outcome
    return outcome


def test_it_crosses_a_release_and_an_edition_and_comes_back(target):
    start = barge_files(target)
    outcome = crossed(target, "2", "release")
    assert barge_files(target)[LEDGER] == "anchor 2\nrope 2\n"
    subjects = {d.subject: (d.before, d.after) for d in outcome.proof.differences}
    assert subjects["release"] == ("1", "2")
    outcome = crossed(target, "edition:mate", "edition")
    told = {d.subject: (d.before, d.after) for d in outcome.proof.differences}
    assert told["edition"] == ("Deckhand", "Mate") and "release" not in told
    assert Desk(target).survey().goal is None, "both scales are at their end"

    way_back = Desk(target).snapshots.all()[0].id
    begin(Desk(target), ReturnBrief("hold", way_back, "trial"), "back")
    assert carry_out_on(lambda: Desk(target), "back") == 0
    assert barge_files(target) == start


def test_routes_speak_of_both_scales(target):
    desk = Desk(target)
    release, edition = desk.standings(desk.facts())
    assert [route.end.key for route in release.later()] == ["2"]
    assert [route.end.key for route in edition.later()] == ["edition:mate"]
    with pytest.raises(Refused, match="no edition captain"):
        desk.routes(to="edition:captain").named("edition:captain")
    with pytest.raises(Refused, match="no release 7"):
        desk.routes(to="7").named("7")
    crossed(target, "edition:mate", "edition")
    route = desk.routes(desk.facts(), "edition:deckhand").named("edition:deckhand")
    assert not route.is_open and "up, never down" in route.why_not


def test_pages_and_texts_show_its_steps(target):
    desk = Desk(target)
    kept = Plans(desk).make("edition:mate")
    text = "\n".join(plan_text(kept))
    assert "edition Deckhand → Mate" in text and "there is no way down again" in text
    record = read_machine(FleetMember("barge", "a tree", target), "edition:mate")
    rows = {row.key: row.cells for row in plan_page(record, Roles(())).rows}
    assert rows["step:0:edition:edition"][1:4] == ("edition", "Deckhand", "Mate")
    keys = [row.key for row in route_page(record, desk.today()).rows]
    assert {"2", "edition:mate"} <= set(keys)
    assert record.next.action == "cross" and "Mate" in record.next.words


def barge_files(target: Target) -> dict[str, str]:
    machine = Desk(target).machine
    return {path: machine.files.read(path, 10_000).decode() for path in (LEDGER, "/etc/os-release")}
