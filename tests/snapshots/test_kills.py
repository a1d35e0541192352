"""Killed at any instant: no half snapshot is offered, and a second run ends the same."""

import os
import random
import select
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from brave_bridge.snapshots.jobs import crew
from brave_bridge.snapshots.returns.journal import read_journal
from tests.support.trees import (
    TRIAL,
    catalogue_at,
    change_parts,
    described,
    differing,
    fill,
    fill_with_parts,
    free,
    rough,
)

KILLS = 25
"""Of each kind, at random instants."""

_DEED = """
import sys
from pathlib import Path
from tests.snapshots.test_kills import deed
from brave_bridge.snapshots.jobs import crew
crew.ALONE_SECONDS = 0.0
print("ready", flush=True)
deed(Path(sys.argv[1]), sys.argv[2])
"""


def deed(root: Path, name: str) -> None:
    """Take the second snapshot, or return to the first."""
    snapshots, returning = catalogue_at(root)
    if name == "take":
        snapshots.take("second", TRIAL)
    else:
        returning.restore(snapshots.find("first"))


class Struck:
    """A deed that is killed after a while.

    Spans are how long it took when it last ended unharmed, in seconds: how fast a machine is
    changes while others work on it, so each end that came before its kill is a new measure.
    """

    def __init__(self, root: Path, name: str) -> None:
        self.root = root
        self.name = name
        self.spans: dict[bool, float] = {}

    def run(self, chance: random.Random, *, with_helpers: bool) -> bool:
        """Do it and kill it at a random instant; the first time let it end. Whether killed."""
        span = self.spans.get(with_helpers)
        after = None if span is None else chance.uniform(0, 1.1 * span)
        took = self._helped(after) if with_helpers else self._alone(after)
        if took is not None:
            self.spans[with_helpers] = took
        return took is None

    def _alone(self, after: float | None) -> float | None:
        """In a copy of this process, without helpers; seconds it took, none when killed."""
        began = time.monotonic()
        child = os.fork()
        if child == 0:
            try:
                crew.ALONE_SECONDS = 1000.0
                deed(self.root, self.name)
            finally:
                os._exit(0)
        handle = os.pidfd_open(child)
        try:
            return _end_or_kill(handle, began, after)
        finally:
            os.close(handle)
            os.waitpid(child, 0)

    def _helped(self, after: float | None) -> float | None:
        """In a process of its own with helpers, of which only the first is killed."""
        process = subprocess.Popen(
            [sys.executable, "-c", _DEED, str(self.root), self.name],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            cwd=Path(__file__).parents[2],
        )
        try:
            assert process.stdout.readline() == b"ready\n"
            began = time.monotonic()
            handle = os.pidfd_open(process.pid)
            try:
                return _end_or_kill(handle, began, after)
            finally:
                os.close(handle)
                process.wait(60)
        finally:
            process.stdout.close()


def _end_or_kill(handle: int, began: float, after: float | None) -> float | None:
    """Wait for the process behind the handle; seconds it took, none where it was killed."""
    if select.select([handle], [], [], after)[0]:
        return time.monotonic() - began
    signal.pidfd_send_signal(handle, signal.SIGKILL)
    return None


def _kills(root: Path, name: str, chance: random.Random) -> Iterator[bool]:
    """Kill the deed time and again; whether each time it had not ended before."""
    struck = Struck(root, name)
    for with_helpers in (False, True):
        struck.run(chance, with_helpers=with_helpers)
        yield False
    for number in range(KILLS):
        yield struck.run(chance, with_helpers=number % 5 == 0)


def _a_system(root: Path, chance: random.Random) -> None:
    fill(root)
    rough(root, chance, 40)
    fill_with_parts(root, chance, 45)


def _changed(root: Path, chance: random.Random) -> None:
    """Something else each time, with enough to put back that a kill can fall into it."""
    free(root)
    rough(root, chance, 12)
    change_parts(root, chance, 45, 25)


@pytest.fixture
def on_disk() -> Iterator[Path]:
    """A folder on a disk: in memory a return is too short for a kill to fall into each part."""
    with tempfile.TemporaryDirectory(dir="/var/tmp", prefix="brave-bridge-kills-") as folder:
        try:
            yield Path(folder)
        finally:
            free(Path(folder))


@pytest.mark.long
@pytest.mark.xdist_group("kills-take")
def test_a_snapshot_killed_at_any_instant_is_none_or_whole(on_disk):
    chance = random.Random(11)
    snapshots, returning = catalogue_at(on_disk)
    _a_system(on_disk, chance)
    outside = (on_disk / "home/watch/notes").stat().st_mtime_ns
    first = snapshots.take("first", TRIAL)
    live, killed, none = described(on_disk), 0, 0
    for was_killed in _kills(on_disk, "take", chance):
        killed += was_killed
        assert differing(live, described(on_disk)) == [], "a snapshot changed what it read"
        offered = [kept.snapshot.id for kept in snapshots.listed()]
        none += offered == ["first"]
        for kept in snapshots.listed():
            assert kept.is_whole and not returning.check(kept.snapshot).faults
        if chance.random() < 0.3:
            second = snapshots.take("second", TRIAL)
            assert not returning.check(second).faults
            assert not returning.preview(second, by_content=True).count
        if len(snapshots.listed()) > 1:
            snapshots.delete("second", "trial")
        _changed(on_disk, chance)
        live = described(on_disk)
    assert killed > KILLS * 0.4 and none > KILLS * 0.3
    snapshots.take("second", TRIAL)
    assert sorted(p.name for p in snapshots.folder.iterdir() if p.is_dir()) == ["first", "second"]
    assert not returning.check(first).faults
    assert (on_disk / "home/watch/notes").stat().st_mtime_ns == outside


@pytest.mark.long
@pytest.mark.xdist_group("kills-return")
def test_a_return_killed_at_any_instant_is_finished_by_a_second_one(on_disk):
    chance = random.Random(12)
    snapshots, returning = catalogue_at(on_disk)
    _a_system(on_disk, chance)
    first = snapshots.take("first", TRIAL)
    before = described(on_disk)
    outside = (on_disk / "home/watch/notes").stat().st_mtime_ns
    _changed(on_disk, chance)
    changed, killed, journals, part_way = described(on_disk), 0, 0, 0
    for was_killed in _kills(on_disk, "return", chance):
        killed += was_killed
        journal = read_journal(on_disk)
        if journal is not None:
            journals += 1
            assert returning.interrupted().snapshot == "first"
            if journal.phase == "staging":
                now = described(on_disk)
                touched = [p for p in differing(changed, now) if not p.startswith(b".brave")]
                assert touched == [], "something was touched before all was staged"
            else:
                part_way += 1
        returning.restore(first)
        assert differing(before, described(on_disk)) == []
        assert returning.interrupted() is None
        _changed(on_disk, chance)
        changed = described(on_disk)
    assert killed > KILLS * 0.4 and journals > KILLS * 0.1 and part_way
    assert not returning.check(first).faults
    assert (on_disk / "home/watch/notes").stat().st_mtime_ns == outside
