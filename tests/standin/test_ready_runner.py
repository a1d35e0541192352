"""A runner that is loaded beside its command: it waits, carries out one thing, or just ends."""

import os
import subprocess
import sys
import threading
import time

import msgspec

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.machines.aside import aside, can_be_copied
from brave_bridge.runner.briefs import SnapshotBrief, encode_brief
from brave_bridge.workbench import run as runner
from brave_bridge.workbench.beginning import Order

SCRIPT = """
import os, sys, time
from pathlib import Path
from brave_bridge.runner.ready_runner import ReadyRunner, Work

def carry_out(words):
    print("out:", *words, os.getsid(0) == os.getpid(), os.getcwd(), flush=True)
    os.system("echo from a program; cat")
    time.sleep(float(words[0]))
    Path(words[1]).write_text("done")
    return 3

def begin(order):
    if order == b"refused":
        raise ValueError("it is refused")
    return "begun-1", lambda: carry_out(order.decode().split())

ready = ReadyRunner(lambda: Work(carry_out, begin))
if sys.argv[1] == "start":
    print(ready.start([sys.argv[2], sys.argv[3]], Path(sys.argv[4])))
elif sys.argv[1] == "ask":
    assert ready.ask(sys.argv[2].encode(), Path(sys.argv[3]))
    print(ready.pid, ready.answer())
else:
    print(ready.pid)
"""

ASIDE = """
import sys, time
from pathlib import Path
from brave_bridge.machines.aside import aside

done = Path(sys.argv[1])
with aside(lambda: (time.sleep(0.3), done.touch())):
    early = done.exists()
with aside(lambda: 1 // 0):
    pass
print(early, done.exists())
"""


def said_by(*words: object) -> list[str]:
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, *map(str, words)],
        capture_output=True,
        text=True,
        check=True,
        timeout=30,
    )
    assert not done.stderr
    return done.stdout.split()


def run(*words: object) -> int:
    return int(said_by(*words)[0])


def is_there(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    return True


def gone(pid: int, seconds: float = 10.0) -> bool:
    until = time.monotonic() + seconds
    while is_there(pid) and time.monotonic() < until:
        time.sleep(0.02)
    return not is_there(pid)


def test_it_outlives_its_command_and_writes_to_the_log_alone(tmp_path):
    pid = run("start", 1.0, tmp_path / "mark", tmp_path / "log")
    # The command has ended: all that it printed was the number.
    assert is_there(pid) and not (tmp_path / "mark").exists()
    assert gone(pid) and (tmp_path / "mark").read_text() == "done"
    said = (tmp_path / "log").read_text().splitlines()
    assert said == [f"out: 1.0 {tmp_path}/mark True /", "from a program"]


def test_it_ends_where_nothing_begins():
    assert gone(run("nothing"))


def test_what_goes_wrong_is_in_the_log(tmp_path):
    pid = run("start", "no number", tmp_path / "mark", tmp_path / "log")
    assert gone(pid) and "ValueError" in (tmp_path / "log").read_text()


def test_it_begins_what_is_ordered_and_answers_before_it_is_done(tmp_path):
    pid, name = said_by("ask", f"1.0 {tmp_path}/mark", tmp_path / "log")
    assert name == "begun-1" and is_there(int(pid)) and not (tmp_path / "mark").exists()
    assert gone(int(pid)) and (tmp_path / "mark").read_text() == "done"


def test_what_is_refused_there_has_no_answer_and_is_in_the_log(tmp_path):
    (pid,) = said_by("ask", "refused", tmp_path / "log")
    assert gone(int(pid)) and "ValueError: it is refused" in (tmp_path / "log").read_text()


def test_no_copy_is_made_beside_other_threads(tmp_path):
    stop = threading.Event()
    other = threading.Thread(target=stop.wait)
    other.start()
    try:
        assert not can_be_copied()
        with aside((tmp_path / "done").touch):
            pass
        assert not (tmp_path / "done").exists()
    finally:
        stop.set()
        other.join()


def test_a_deed_aside_is_done_at_the_end_and_its_faults_are_its_own(tmp_path):
    argv = [sys.executable, "-c", ASIDE, tmp_path / "done"]
    done = subprocess.run(argv, capture_output=True, text=True, check=False, timeout=30)
    assert (done.returncode, done.stdout, done.stderr) == (0, "False True\n", "")


def test_an_order_begins_a_procedure_and_carries_it_out(stand_in):
    desk = stand_in("petrel")
    brief = encode_brief(SnapshotBrief("as ordered"))
    target = ("--tree", str(desk.machine.root))
    order = Order(target, "snapshot", "a way back", brief, unattended=True)
    identifier, carry_out = runner.begin(msgspec.json.encode(order))
    row = desk.logbook().procedure(identifier)
    assert row.state == "running" and row.unattended and not desk.snapshots.all()
    assert carry_out() == 0
    outcome = desk.logbook().procedure(identifier).outcome
    assert isinstance(outcome, Outcome) and outcome.state == "done"
    assert desk.snapshots.all()[0].reason == "as ordered"


def test_a_command_that_begins_something_uses_it(stand_in):
    desk = stand_in("petrel")
    words = [sys.executable, "-m", "brave_bridge.cli.entry", "--tree", str(desk.machine.root)]
    done = subprocess.run(
        [*words, "snapshot", "--json"], capture_output=True, text=True, check=False, timeout=60
    )
    assert done.returncode == 0, done.stderr
    assert len(desk.snapshots.all()) == 1 and not desk.runner_is_there()
