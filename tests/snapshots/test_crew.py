"""A crew that is left in the middle of a job ends at once, however much helpers have to say."""

import io
import os
import subprocess
import sys

import msgspec
import pytest

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.jobs.comparison import comparison_job
from brave_bridge.snapshots.jobs.empty import RemovalJob
from brave_bridge.snapshots.jobs.messages import Answer, Begin, Items, receive, send
from brave_bridge.snapshots.jobs.tree_copy import copy_tree
from brave_bridge.snapshots.trees.cover import cover_for

# A process with one thread, whose helpers are copies of it and hold each other's pipes.
_LEFT_IN_THE_MIDDLE = """
import sys, time, msgspec
from brave_bridge.snapshots.jobs import crew
from brave_bridge.snapshots.jobs.compare import CompareJob
crew.ALONE_SECONDS = 0.0
job = msgspec.json.decode(sys.argv[1], type=CompareJob)
with crew.Crew(2) as one:
    for number, _ in enumerate(one.carry_out(job, [""])):
        if number:
            time.sleep(0.3)
            break
"""


def test_helpers_whose_answers_nobody_takes_are_not_waited_for(tmp_path):
    live, kept = tmp_path / "live", tmp_path / "kept"
    kept.mkdir()
    for folder in map(str, range(20)):
        (live / folder).mkdir(parents=True)
        for number in range(1_000):
            (live / folder / f"a-name-that-makes-answers-larger-than-a-pipe-{number}").touch()
    copy_tree(live, cover_for("tree"), Beneath(kept), None, helpers=0)
    for path in live.glob("*/*"):
        path.unlink()
    job = msgspec.json.encode(comparison_job(live, cover_for("tree"), kept)).decode()
    argv = [sys.executable, "-c", _LEFT_IN_THE_MIDDLE, job]
    subprocess.run(argv, check=True, timeout=60)


@pytest.mark.parametrize("is_asked", [False, True])
def test_a_helper_that_comes_when_all_is_gone_says_so_only_where_it_is_asked(tmp_path, is_asked):
    said = io.BytesIO()
    send(said, Begin(0, os.getpid(), RemovalJob(str(tmp_path / "taken away"))))
    if is_asked:
        send(said, Items(msgspec.Raw(msgspec.msgpack.encode([""]))))
    argv = [sys.executable, "-m", "brave_bridge.snapshots.jobs.helper"]
    done = subprocess.run(argv, input=said.getvalue(), capture_output=True, check=True, timeout=60)
    assert done.stderr == b""
    frame = receive(io.BytesIO(done.stdout))
    assert (frame is not None) == is_asked
    if frame is not None:
        answer = msgspec.msgpack.decode(frame, type=Answer)
        assert answer.fault.path == str(tmp_path / "taken away")
