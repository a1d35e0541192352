"""The end of a runner: its outcome is recorded whatever cannot be tidied up."""

from brave_bridge.machines.port import MachineError
from brave_bridge.runner import after_boot
from brave_bridge.runner.briefs import SnapshotBrief
from brave_bridge.workbench import run
from tests.support.runs import begin


def test_what_cannot_be_taken_away_is_a_warning_and_the_outcome_stands(stand_in, monkeypatch):
    desk = stand_in("petrel")
    begin(desk, SnapshotBrief("by hand"))

    def refuses(machine):
        raise MachineError("removing a unit", machine.name, "read-only file system")

    monkeypatch.setattr(after_boot, "clear", refuses)
    monkeypatch.setattr(run, "Desk", lambda target: desk)
    assert run.main(["--demo", "petrel", "trial"]) == 0
    row = desk.logbook().procedure("trial")
    assert row.state == "done"
    assert any("read-only file system" in words for words in row.outcome.warnings)


def test_a_runner_for_what_has_ended_takes_away_what_starts_it(stand_in, monkeypatch):
    desk = stand_in("petrel")
    begin(desk, SnapshotBrief("by hand"))
    desk.logbook().set_state("trial", "done")
    cleared = []
    monkeypatch.setattr(after_boot, "clear", cleared.append)
    monkeypatch.setattr(run, "Desk", lambda target: desk)
    assert run.main(["--demo", "petrel", "trial"]) == 0
    assert cleared == [desk.machine]
