"""Ways back by keys alone: taken, looked into, pinned, verified, deleted, returned to."""

import shutil
import time

import pytest

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]


def test_a_way_back_from_taking_it_to_deleting_it(terminal, tmp_path):
    screen = terminal("--demo turnstone")
    screen.wait_for("Driftline")
    screen.press("7")
    screen.wait_for("There is no way back yet")
    screen.press("b")
    screen.wait_for("· done")
    screen.press("7")
    shown = screen.wait_for("1 way back, the newest of today")
    assert "Home folders (/home) are not part of a snapshot." in shown
    screen.press("Down", "k")
    screen.wait_for("why it must stay")
    screen.type("before the plotting tool goes")
    screen.press("Enter")
    shown = screen.wait_for("◆ pinned: before the plotting")
    screen.press("k")
    screen.wait_for("◇ ")
    screen.press("e")
    screen.wait_for("14 days left")
    screen.press("v")
    screen.wait_for("Read all of")
    screen.wait_for("· done")
    screen.press("7")
    screen.wait_for("verified 20")
    screen.press("d")
    shown = screen.wait_for("type the machine's name: turnstone")
    assert "It is the only way back" in shown and "would be free" in shown
    screen.type("turnstone")
    screen.press("Enter")
    shown = screen.wait_for("no ways back")
    assert "ended 20" in shown and "gone" in shown


def test_petrels_history_is_looked_into_and_returned_to(terminal):
    screen = terminal("--demo petrel")
    screen.wait_for("5.3")
    screen.press("7")
    shown = screen.wait_for("4 ways back")
    for mark in ("◇", "▲", "■", "◆", "○"):
        assert mark in shown
    assert "1 damaged" in shown
    screen.wait_for(r"ended \d d ago|ended…")
    screen.press("Down", "Down", "l")
    screen.wait_for("petrel now against")
    screen.press("Down", "Enter")
    shown = screen.wait_for("quay-ssh")
    assert "~" in shown or "·" in shown
    screen.press("Escape")
    screen.wait_for("4 ways back")
    screen.press("m")
    screen.wait_for("is marked")
    screen.press("Up", "l")
    screen.wait_for(r"20\d+-\d+ against 20\d+-\d+")
    screen.press("Escape")
    screen.wait_for("4 ways back")
    screen.press("Down", "Enter")
    shown = screen.wait_for("why you go back")
    assert "databases: 1 file" in shown and "watch: the password of before" in shown
    screen.type("the new gauge agent is deaf")
    screen.press("Tab")
    time.sleep(0.4)
    screen.type("peterl")
    screen.press("Enter")
    screen.wait_for("that is not petrel")
    screen.type("petrel")
    screen.press("Enter")
    shown = screen.wait_for("· done")
    assert "Compare the machine" in shown


@pytest.mark.parametrize("size", [(100, 30), (80, 24)])
def test_small_terminals_show_what_matters(terminal, size):
    screen = terminal("--demo petrel", size)
    screen.wait_for("5.3")
    screen.press("7")
    shown = screen.wait_for("4 ways back")
    assert "2 d" in shown and "pinned" in shown
    screen.press("Down", "Enter")
    shown = screen.wait_for("the machine's name: petrel")
    assert "why you go back" in shown
    screen.press("Escape")
    screen.wait_for("4 ways back")
