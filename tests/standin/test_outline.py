"""What is told of a system without its packages: the same as a survey tells, also when damaged."""

import pytest

from brave_bridge.core.ways_back.recovery_card import fingerprint
from brave_bridge.families.registry import outline, survey
from brave_bridge.machines.port import MachineError
from brave_bridge.runner.briefs import SnapshotBrief
from brave_bridge.runner.card_maker import card_facts
from brave_bridge.runner.performing.ways_back import about
from tests.support.runs import begin, carry_out, outcome_of

_STATUS = "/var/lib/dpkg/status"


@pytest.mark.parametrize(
    "name", ["avocet", "skua", "turnstone", "fulmar", "puffin", "whimbrel", "knot"]
)
def test_a_card_and_a_way_back_say_the_same_by_it(stand_in, name):
    desk = stand_in(name)
    whole = survey(desk.machine, desk.family())
    known = outline(desk.machine, desk.family())
    assert known.kernels == whole.kernels and known.loader == whole.loader
    assert about(desk.machine, known, "trial") == about(desk.machine, whole, "trial")
    cards = [fingerprint(card_facts(desk.machine, f, desk.snapshots)) for f in (known, whole)]
    assert cards[0] == cards[1]


def test_a_way_back_is_taken_also_where_the_package_database_is_damaged(stand_in):
    desk = stand_in("petrel")
    desk.machine.files.write(_STATUS, b"\xff\xfe no stanza\n")
    with pytest.raises(MachineError, match="damaged"):
        desk.facts()
    begin(desk, SnapshotBrief("before mending it"))
    carry_out(desk.machine.root, "petrel", "trial")
    assert outcome_of(desk.machine.root, "petrel", "trial").state == "done"
    assert desk.machine.files.read_if_there("/var/lib/brave-bridge/recovery-card.txt", 1 << 20)
