"""Regressions put into machines while they cross: the proof at the end names each, and no other."""

from collections.abc import Callable

import pytest

from brave_bridge.core.proof.difference import NOT_READ, REGRESSION
from brave_bridge.machines.standin import live
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.decisions import read_decisions, surroundings_for
from brave_bridge.workbench.planning.plans import Plans
from tests.standin.test_restarts import anew
from tests.standin.test_seeded_regressions import SEEDS, changing, furnished, set_of
from tests.support.runs import begin, carry_out, outcome_of

CROSSINGS = {"petrel": "7", "avocet": "7", "razorbill": "8.5"}
"""One of each kind that restarts: by packages, with guests, by images."""

TOGETHER = (
    "unit off",
    "unit not enabled",
    "port gone",
    "mount missing",
    "export gone",
    "other default program",
    "lost member",
    "driver missing",
    "module missing",
    "time server off",
    "certificate expired",
    "firewall lets through",
    "pool degraded",
    "name server gone",
    "job gone",
    "session gone",
)
"""Seeds that do not hide one another; those of one unit stand for the second of them."""


def seed_all(machine: StandInMachine) -> set[str]:
    for name in TOGETHER:
        SEEDS[name][0](machine)
    return {SEEDS[name][1] for name in TOGETHER}


def crossed(desk, to: str, between: Callable[[StandInMachine], None]):
    """Cross with the machine's guests shut down; ``between`` happens after the way back is made."""
    around = surroundings_for(read_decisions(desk.machine), desk.facts())
    begin(desk, CrossBrief(desk.family(), Plans(desk).make(to).legs, surroundings=around))
    root, name = desk.machine.root, desk.machine.name
    for seq in range(2, 60):
        carry_out(root, name, "trial", ("after", seq))
        if any(entry.kind == "TakeSnapshot" for entry in anew(desk).logbook().entries("trial")):
            break
    between(desk.machine)
    assert carry_out(root, name, "trial") == 0
    return outcome_of(root, name, "trial")


@pytest.mark.parametrize("name", CROSSINGS)
def test_each_regression_of_a_crossing_is_named_and_no_other(stand_in, name):
    desk = stand_in(name)
    furnished(desk.machine)
    seeded: set[str] = set()
    outcome = crossed(desk, CROSSINGS[name], lambda machine: seeded.update(seed_all(machine)))
    assert outcome.state == "done" and not outcome.proof.passed, outcome
    worse = {one.subject for one in outcome.proof.worse}
    assert worse == seeded, (worse - seeded, seeded - worse)
    assert not outcome.proof.not_read


def test_a_machine_whose_remote_access_would_not_start_is_not_restarted(stand_in):
    desk = stand_in("petrel")
    boots = live.load(desk.machine.root).boots
    outcome = crossed(desk, "7", SEEDS["settings refused"][0])
    assert (outcome.state, outcome.at) == ("failed", "restart")
    assert "sshd would not start again: /etc/ssh/sshd_config line 5" in outcome.why
    assert live.load(desk.machine.root).boots == boots
    set_of("refuses", {})(desk.machine)
    left = anew(desk).open_leg()
    begin(desk := anew(desk), CrossBrief("deb", left.plans, begun=left), "again")
    assert carry_out(desk.machine.root, "petrel", "again") == 0
    mended = outcome_of(desk.machine.root, "petrel", "again")
    assert mended.state == "done" and mended.proof.passed
    assert live.load(desk.machine.root).boots == boots + 1


def test_a_guest_that_stays_off_is_worse_than_before(stand_in):
    def cannot_start(described: live.Live) -> None:
        next(guest for guest in described.guests if guest.name == "mail-relay").broken = True

    desk = stand_in("avocet")
    outcome = crossed(desk, "7", changing(cannot_start))
    assert outcome.state == "done" and not outcome.proof.passed
    assert [one.subject for one in outcome.proof.worse] == ["mail-relay (libvirt)"]
    assert any("mail-relay did not start again" in told for told in outcome.warnings)
    verdicts = {one.verdict for one in outcome.proof.differences}
    assert REGRESSION in verdicts and NOT_READ not in verdicts


def test_a_service_that_maintenance_stopped_and_left_off_is_worse(stand_in):
    from brave_bridge.workbench.readiness import Readiness

    desk = stand_in("avocet")
    Readiness(desk).set_maintenance("systemctl stop quay-guests.service", "true")
    outcome = crossed(desk, "7", lambda machine: None)
    assert "quay-guests.service" in [one.subject for one in outcome.proof.worse]
