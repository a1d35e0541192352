"""The estimate includes restarts, and learns how long those of this machine take."""

import msgspec

from brave_bridge.core.estimate import ASSUMED_RESTART, Speeds
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.runner.briefs import CrossBrief, encode_brief
from brave_bridge.store.rows import EntryRow, ProcedureRow
from brave_bridge.workbench.outlook.forecast import forecast
from tests.support.facts import plan

LEG = plan().with_step(RestartStep(because=("kernel changes",)))


class Logbook:
    def __init__(self, *entries: EntryRow) -> None:
        self._entries = entries

    def entries(self, procedure: str) -> tuple[EntryRow, ...]:
        return self._entries


def entry(kind: str, began: str, ended: str, ok: bool = True) -> EntryRow:
    at = "2026-11-29T10:"
    return EntryRow("p", 0, kind, kind, b"{}", at + began, at + ended, b"{}", ok, 100.0, "", "")


def test_a_leg_with_a_restart_takes_longer():
    with_it, without = forecast([LEG], [], [], None), forecast([plan()], [], [], None)
    assert with_it.parts["restarts"] == ASSUMED_RESTART and without.parts["restarts"] == 0
    assert with_it.seconds > without.seconds


def test_the_restarts_of_earlier_crossings_are_learnt_from():
    brief = encode_brief(CrossBrief("deb", (LEG,), estimate=100.0))
    row = ProcedureRow("p", "crossing", "t", brief, "done", "", "", None, False, False)
    book = Logbook(
        entry("Restart", "00:00+00:00", "00:40+00:00"),
        entry("Restart", "01:00+00:00", "01:20+00:00"),
        entry("Restart", "02:00+00:00", "30:00+00:00", ok=False),
        entry("AwaitRestart", "31:00+00:00", "59:00+00:00"),
    )
    learnt = forecast([LEG], [], [row], book)
    ratio = learnt.parts["restarts"] / sum(learnt.parts.values())
    plain = forecast([LEG], [], [], None, Speeds(restart=30.0))
    assert round(plain.parts["restarts"]) == 30
    assert round(ratio, 3) == round(30 / sum(plain.parts.values()), 3)
    assert "restarts" in msgspec.structs.asdict(plain)["basis"]
