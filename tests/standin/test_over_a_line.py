"""A machine whose files are another process's: everything goes over a line to its agent."""

import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.machines.agent.calling import Line
from brave_bridge.machines.agent.machine import AgentMachine
from brave_bridge.machines.agent.plain_file import agent_file
from brave_bridge.machines.port import MachineError
from brave_bridge.runner import sampling
from brave_bridge.runner.briefs import CrossBrief, ReturnBrief
from brave_bridge.runner.durable import DurableRun
from brave_bridge.runner.performer import Performer
from brave_bridge.snapshots.description import About
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.ways.ways_back import WaysBack
from tests.support.runs import begin, contents
from tests.support.trees import IS_ROOT

SERVE = """
import sys
from pathlib import Path
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.snapshots.agent import serve
serve(StandInMachine(sys.argv[1], Path(sys.argv[2])))
"""


@pytest.fixture
def far_off(stand_in, tmp_path):
    """The desk of a demo machine that is served by another process, and the folder it is in."""
    near = stand_in("petrel")
    root = near.machine.root
    line = Line("petrel", [sys.executable, "-c", SERVE, "petrel", str(root)])
    machine = AgentMachine("petrel", line, tmp_path / "here")
    yield Desk(near.target, machine), root
    line.close()


def carried_out(desk: Desk, identifier: str) -> Outcome:
    performer = Performer(desk.machine, desk.family(), desk.beside, identifier)
    performer.poll_seconds = 0.01
    return DurableRun(desk.logbook(), performer, identifier, rest=lambda: None).carry_out()


def test_a_leg_is_crossed_proved_and_returned_from(far_off):
    desk, root = far_off
    before = contents(root)
    assert not hasattr(desk.machine, "root")
    kept = Plans(desk).make("7")
    assert [leg.leg.end.key for leg in kept.legs] == ["7"]
    begin(desk, CrossBrief("deb", kept.legs), "across")
    outcome = carried_out(desk, "across")
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert 'VERSION_ID="7"' in (root / "usr/lib/os-release").read_text()
    ways = WaysBack(desk)
    way_back = outcome.ways_back[0]
    assert [way.kept.snapshot.id for way in ways.listed()] == [way_back]
    preview = ways.preview(way_back)
    changed = {name: (now, then) for name, now, then in preview.packages}
    assert changed["estuary-agent"] == ("", "2.4-1") and changed["libtide2"][1] == ""
    assert ways.check(way_back).faults == ()
    begin(desk, ReturnBrief("deb", way_back, "trial"), "back")
    assert carried_out(desk, "back").state == "done"
    assert contents(root) == before


def test_what_is_decided_over_there_is_refused_over_here_in_the_same_words(far_off):
    desk, _ = far_off
    with pytest.raises(MachineError, match="finding the way back 'none' on petrel: there are: "):
        WaysBack(desk).file_then("none", "/etc/hostname")
    with pytest.raises(MachineError, match="longer than 2 bytes"):
        desk.machine.files.read("/etc/hostname", 2)
    assert desk.survey().findings, "a fault is no end of the line"


def test_who_is_told_how_far_a_call_is_cannot_call_meanwhile_and_nothing_hangs(far_off):
    desk, _ = far_off
    told = []

    def tell(*how_far):
        with pytest.raises(MachineError, match="busy") as refused:
            desk.machine.files.read("/etc/hostname", 100)
        told.append((how_far, refused))

    taken = desk.snapshots.take("told", About(release="6", reason="trial"), tell)
    assert told and taken.entries
    assert desk.machine.files.read("/etc/hostname", 100), "the line is free again"


def test_a_sample_is_taken_also_while_the_line_is_busy(far_off, monkeypatch):
    monkeypatch.setattr(sampling, "FIRST_SECONDS", 0.0)
    desk, _ = far_off
    kept = Plans(desk).make("7")
    begin(desk, CrossBrief("deb", kept.legs), "across")
    assert carried_out(desk, "across").state == "done"
    samples = desk.logbook().samples("across")
    assert len(samples) > 20 and all(sample.free_bytes for sample in samples)


def test_an_agent_that_is_gone_is_told_as_that(far_off):
    desk, _ = far_off
    held = desk.machine.state.hold("runner.lock")
    assert held is not None
    desk.machine.line._process.kill()
    desk.machine.line._process.wait()
    with pytest.raises(MachineError, match="the agent gave no answer") as told:
        desk.machine.files.read("/etc/hostname", 100)
    assert "can be reached" in told.value.remedy


@pytest.mark.skipif(not IS_ROOT, reason="needs root to enter another root")
def test_an_agent_of_plain_python_serves_another_root(tmp_path):
    """It needs nothing of ours there, and a job that it started goes on when it is gone."""
    root = tmp_path / "root"
    for folder in ("usr", "etc", "var/lib", "tmp", "proc", "dev"):
        (root / folder).mkdir(parents=True)
    for name in ("bin", "sbin", "lib", "lib64"):
        if Path("/", name).is_symlink():
            (root / name).symlink_to(f"usr/{name}")
    (root / "etc/hostname").write_text("petrel\n")
    (root / "agent").write_text(agent_file())
    enter = (
        'mount --bind -o ro /usr "$1/usr" && mount -t proc proc "$1/proc" && touch "$1/dev/null"'
        ' && mount --bind /dev/null "$1/dev/null"'
        ' && exec chroot "$1" /usr/bin/python3 -I -S /agent / petrel'
    )
    line = Line("petrel", ["unshare", "--mount", "/bin/sh", "-c", enter, "enter", str(root)])
    machine = AgentMachine("petrel", line, tmp_path / "here")
    assert (machine.kind, machine.is_mounted_only) == ("running", False)
    assert machine.files.read("/etc/hostname", 100) == b"petrel\n"
    machine.state.make()
    assert (root / "var/lib/brave-bridge").is_dir()
    machine.jobs.start("slow", ("sh", "-c", "echo begun; sleep 1; echo over"), {})
    assert machine.jobs.state_of("slow").state == "running"
    held = machine.state.hold("runner.lock")
    assert held is not None and machine.state.is_held("runner.lock")
    line._process.kill()
    line.close()
    job = root / "var/lib/brave-bridge/jobs/slow"
    for _ in range(100):
        if (job / "code").exists():
            break
        time.sleep(0.1)
    assert (job / "output").read_text() == "begun\nover\n"
    assert not _mounts_below(root)


def _mounts_below(root: Path) -> str:
    mounts = subprocess.run(["cat", "/proc/self/mountinfo"], capture_output=True, text=True)
    return "\n".join(line for line in mounts.stdout.splitlines() if os.fspath(root) in line)
