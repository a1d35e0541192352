"""Ways back by keys alone: taken, looked into, pinned, verified, deleted, returned to."""

import shutil

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
    screen.wait_for(
        "1 way back, the newest of today", "Home folders (/home) are not part of a snapshot."
    )
    screen.press("Down", "k")
    screen.wait_for("why it must stay")
    screen.type("before the plotting tool goes")
    screen.press("Enter")
    screen.wait_for("◆ pinned: before the plotting")
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
    screen.wait_for(
        "type the machine's name: turnstone", "It is the only way back", "would be free"
    )
    screen.type("turnstone")
    screen.press("Enter")
    screen.wait_for("no ways back", "ended 20", "gone")


def test_petrels_history_is_looked_into_and_returned_to(terminal):
    screen = terminal("--demo petrel")
    screen.wait_for("5.3")
    screen.press("7")
    screen.wait_for("4 ways back", "◇", "▲", "■", "◆", "○", "1 damaged")
    screen.wait_for(r"ended \d d ago|ended…")
    screen.press("Down", "Down", "l")
    screen.wait_for("petrel now against")
    screen.press("Down", "Enter")
    screen.wait_for("(?s)[~·].*quay-ssh|quay-ssh.*[~·]")
    screen.press("Escape")
    screen.wait_for("4 ways back")
    screen.press("m")
    screen.wait_for("is marked")
    screen.press("Up", "l")
    screen.wait_for(r"20\d+-\d+ against 20\d+-\d+")
    screen.press("Escape")
    screen.wait_for("4 ways back")
    screen.press("Down", "Enter")
    screen.wait_for("why you go back", "databases: 1 file", "watch: the password of before")
    screen.type("the new gauge agent is deaf")
    screen.wait_for("the new gauge agent is deaf")
    screen.go_to_next_field()
    screen.type("peterl")
    screen.press("Enter")
    screen.wait_for("that is not petrel")
    screen.type("petrel")
    screen.press("Enter")
    screen.wait_for("· done", "Compare the machine")


@pytest.mark.parametrize("size", [(100, 30), (80, 24)])
def test_small_terminals_show_what_matters(terminal, size):
    screen = terminal("--demo petrel", size)
    screen.wait_for("5.3")
    screen.press("7")
    screen.wait_for("4 ways back", "2 d", "pinned")
    screen.press("Down", "Enter")
    screen.wait_for("the machine's name: petrel", "why you go back")
    screen.press("Escape")
    screen.wait_for("4 ways back")
