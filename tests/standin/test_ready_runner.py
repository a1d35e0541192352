"""A runner that is loaded beside its command: it waits, carries out one thing, or just ends."""

import os
import subprocess
import sys
import time

from brave_bridge.runner.ready_runner import ReadyRunner, can_be_made_ready

SCRIPT = """
import os, sys, time
from pathlib import Path
from brave_bridge.runner.ready_runner import ReadyRunner

def carry_out(words):
    print("out:", *words, os.getsid(0) == os.getpid(), os.getcwd(), flush=True)
    os.system("echo from a program; cat")
    time.sleep(float(words[0]))
    Path(words[1]).write_text("done")
    return 3

ready = ReadyRunner(lambda: carry_out)
if sys.argv[1] == "start":
    print(ready.start([sys.argv[2], sys.argv[3]], Path(sys.argv[4])))
else:
    print(ready.pid)
"""


def run(*words: object) -> int:
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, *map(str, words)],
        capture_output=True,
        text=True,
        check=True,
        timeout=30,
    )
    assert not done.stderr
    return int(done.stdout)


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


def test_no_fork_is_made_beside_other_threads():
    import threading

    stop = threading.Event()
    other = threading.Thread(target=stop.wait)
    other.start()
    try:
        assert not can_be_made_ready()
    finally:
        stop.set()
        other.join()
    assert ReadyRunner is not None


def test_a_command_that_begins_something_uses_it(stand_in):
    desk = stand_in("petrel")
    words = [sys.executable, "-m", "brave_bridge.cli.entry", "--tree", str(desk.machine.root)]
    done = subprocess.run(
        [*words, "snapshot", "--json"], capture_output=True, text=True, check=False, timeout=60
    )
    assert done.returncode == 0, done.stderr
    assert len(desk.snapshots.all()) == 1 and not desk.runner_is_there()
