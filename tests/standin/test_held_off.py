"""Sleep and shutdown are held off while a machine changes, and not by us when we restart it."""

import os
import signal
import time

import pytest

from brave_bridge.core.crossing.replies import Failed
from brave_bridge.core.crossing.requests import Restart
from brave_bridge.runner.held_off import HeldOff
from brave_bridge.runner.performer import Performer
from brave_bridge.runner.performing import restarting

INHIBITS = """#!/bin/sh
[ "$1" = --list ] && exit {answers}
echo "$@" > {folder}/asked
for last in "$@"; do :; done
touch {folder}/held
"$last"
rm {folder}/held
"""


@pytest.fixture
def inhibiting(tmp_path, monkeypatch):
    """systemd-inhibit(1) as far as we use it; the file ``held`` is there while something is."""

    def make(answers: int = 0):
        tool = tmp_path / "systemd-inhibit"
        tool.write_text(INHIBITS.format(answers=answers, folder=tmp_path))
        tool.chmod(0o755)
        monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
        return tmp_path

    return make


def comes_to(condition) -> bool:
    deadline = time.monotonic() + 60
    while not condition() and time.monotonic() < deadline:
        time.sleep(0.02)
    return condition()


def test_it_is_held_off_until_it_is_let_go(inhibiting):
    folder = inhibiting()
    held = HeldOff("trial-1 changes the system")
    held.begin()
    assert comes_to((folder / "held").exists)
    asked = (folder / "asked").read_text()
    assert "--mode=block" in asked and "--what=shutdown:sleep" in asked and "trial-1" in asked
    held.let_go()
    assert not (folder / "held").exists()
    held.let_go()


def test_it_ends_with_a_runner_that_is_killed(inhibiting):
    folder = inhibiting()
    child = os.fork()
    if not child:
        HeldOff("trial-1 changes the system").begin()
        time.sleep(600)
    assert comes_to((folder / "held").exists)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    assert comes_to(lambda: not (folder / "held").exists())


def test_where_nobody_answers_nothing_is_held_off(inhibiting):
    folder = inhibiting(answers=1)
    held = HeldOff("trial-1 changes the system")
    held.begin()
    held.let_go()
    assert not (folder / "asked").exists()


def test_it_is_let_go_before_we_restart_and_a_refusal_shows_its_cause(
    inhibiting, stand_in, monkeypatch
):
    folder = inhibiting()
    desk = stand_in("petrel")
    performer = Performer(desk.machine, desk.family(), desk.beside, "trial")
    performer.held_off.begin()
    assert comes_to((folder / "held").exists)
    seen = []

    def refused(machine, *, force):
        seen.append((folder / "held").exists())
        return ("no-such-program",)

    monkeypatch.setattr(restarting, "command", refused)
    mark = restarting.boot_mark_of(desk.machine)
    reply = performer.perform(1, Restart(title="Restart", boot_id=mark), lambda *told: None)
    assert seen == [False], "it was let go before"
    assert isinstance(reply, Failed) and "ended with 127: no-such-program: not found" in reply.seen
