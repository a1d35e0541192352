"""Clean crossings: ten legs of six machines, none of whose proofs sees what is not there."""

import pytest

from brave_bridge.core.proof.difference import REGRESSION, UNEXPLAINED
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.planning.plans import Plans
from tests.support.runs import begin, carry_out, outcome_of

CROSSINGS = {
    "gannet": ("5.3", 2),
    "petrel": ("8", 2),
    "dunlin": ("8", 2),
    "puffin": ("8.5", 2),
    "avocet": ("7", 1),
    "razorbill": ("8.5", 1),
}
"""Where each goes, and by how many legs."""


@pytest.mark.parametrize("name", CROSSINGS)
def test_a_clean_crossing_is_as_good_as_before(stand_in, name):
    desk = stand_in(name)
    to, legs = CROSSINGS[name]
    begin(desk, CrossBrief(desk.family(), Plans(desk).make(to).legs))
    assert carry_out(desk.machine.root, name, "trial") == 0
    outcome = outcome_of(desk.machine.root, name, "trial")
    assert outcome is not None and (outcome.state, outcome.legs_done) == ("done", legs)
    proof = outcome.proof
    assert proof is not None and proof.passed
    wrong = (REGRESSION, UNEXPLAINED)
    assert [point for point in proof.differences if point.verdict in wrong] == []
    looked_at = {point.topic for point in (*proof.differences, *proof.same)}
    assert len(looked_at) > 10, "every topic was compared"


def test_they_are_ten():
    assert sum(legs for _, legs in CROSSINGS.values()) == 10
