"""The real interface in a real terminal: keys go in through tmux, the screen is read back."""

import shutil
import time

import pytest

from tests.support.terminal import Terminal

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]


def to_petrel(screen: Terminal) -> None:
    """From the fleet to petrel, whatever order the fleet is in."""
    screen.wait_for("11 machines,")
    screen.wait_for("knot .* cross it")
    screen.press("/")
    screen.wait_for("Esc shows all")
    screen.type("petrel")
    screen.wait_for("╭─  petrel · web and database server")
    screen.leave_filter()


@pytest.mark.parametrize("size", [(100, 30), (80, 24)])
def test_every_place_shows_itself_on_a_small_terminal(terminal, size):
    screen = terminal(size=size)
    to_petrel(screen)
    for key, words in (
        ("2", "clear"),
        ("3", "7 diamond"),
        ("4", "no plan|plan"),
        ("5", "crossing"),
        ("6", "proof"),
        ("7", "ways back"),
        ("8", "kernel"),
        ("9", "webd.conf"),
        ("0", "logbook"),
    ):
        screen.press(key)
        lines = screen.wait_for(words, "Next").splitlines()
        assert len(lines) <= size[1]
        assert all(len(line) <= size[0] for line in lines)
    screen.press("?")
    screen.wait_for("leave; a crossing goes on")


def begin_crossing(screen: Terminal, name: str) -> None:
    """From the fleet to the first question of a machine's crossing."""
    screen.press("/")
    screen.wait_for("Esc shows all")
    screen.type(name)
    screen.wait_for(f"╭─  {name} · ")
    screen.press("Escape", "n")
    screen.wait_for("cross to .* to fetch")
    screen.press("n")
    screen.wait_for(f"type the machine's name: {name}")
    screen.type(name)
    screen.press("Enter")
    screen.wait_for(r"\? Point the sources at the new release")


def test_two_crossings_at_once_are_both_watched(terminal):
    screen = terminal()
    screen.wait_for("knot .* cross it")
    begin_crossing(screen, "gannet")
    screen.press("1")
    begin_crossing(screen, "petrel")
    screen.wait_for("in need of you · 2 under way")
    screen.press("a")
    screen.wait_for("Stage two")
    screen.press("[")
    screen.wait_for(r"\? Point the sources at the new release")
    screen.press("a")
    screen.wait_for("Stage two")


def test_no_key_that_leaves_or_looks_ends_the_screen(terminal):
    screen = terminal()
    screen.wait_for("11 machines,")
    screen.wait_for("knot .* cross it")
    for number in "2345678901":
        screen.press(number, "Escape", "/", "Escape", "w", "Escape", "Up", "Down", "Escape")
        time.sleep(0.2)
        shown = screen.screen()
        assert "Traceback" not in shown and "left with code" not in shown, shown
    screen.wait_for("11 machines,")
