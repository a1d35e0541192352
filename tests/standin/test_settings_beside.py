"""The archive of the settings that belongs to a way back: made with it, named, ended with it."""

from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.runner.card_maker import card_facts
from brave_bridge.snapshots.archive_names import archive_of
from brave_bridge.workbench.planning.plans import Plans
from tests.support.runs import begin, carry_out, outcome_of


def test_it_is_made_named_on_the_card_and_ends_with_the_way_back(stand_in):
    desk = stand_in("petrel")
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs))
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    (way_back,) = outcome_of(desk.machine.root, "petrel", "trial").ways_back
    name = archive_of(desk.machine.state, way_back)
    assert name == f"settings/{way_back}.tar.zst"
    card = card_facts(desk.machine, desk.facts(), desk.snapshots)
    assert card.settings == f"/var/lib/brave-bridge/{name}"
    files = desk.machine.state.names("settings/*")
    assert len(files) == 3
    desk.snapshots.delete(way_back, "for the test")
    assert desk.machine.state.names("settings/*") == []
    assert archive_of(desk.machine.state, way_back) == ""
