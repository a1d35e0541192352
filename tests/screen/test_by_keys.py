"""The real interface in a real terminal: keys go in through tmux, the screen is read back."""

import os
import re
import shutil
import sys
import time
from pathlib import Path

import libtmux
import pytest

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]
PROGRAM = f"{sys.executable} -c 'from brave_bridge.cli.entry import main; main()'"


class Terminal:
    """One terminal with the program in it."""

    def __init__(self, server: libtmux.Server, home: Path, words: str, size: tuple[int, int]):
        self.server = server
        environment = {"XDG_STATE_HOME": str(home), "HOME": str(home), "LC_ALL": "C.UTF-8",
                       "TERM": "tmux-256color", "PATH": os.environ["PATH"]}  # fmt: skip
        command = f"unset COLUMNS LINES; {PROGRAM} {words}; echo left with code $?; sleep 600"
        self.session = server.new_session(
            x=size[0], y=size[1], window_command=f'sh -c "{command}"', environment=environment
        )
        self.pane = self.session.active_window.active_pane

    def screen(self) -> str:
        """What the terminal shows."""
        return "\n".join(self.pane.capture_pane())

    def press(self, *keys: str) -> None:
        """Send keys, by tmux's names for them."""
        for key in keys:
            self.pane.cmd("send-keys", key)

    def type(self, text: str) -> None:
        """Type a text."""
        self.pane.cmd("send-keys", "-l", text)

    def wait_for(self, pattern: str, seconds: float = 40) -> str:
        """Wait until the screen matches; the screen."""
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            shown = self.screen()
            if re.search(pattern, shown):
                return shown
            time.sleep(0.05)
        raise AssertionError(
            f"never saw {pattern!r} on {self.pane.pane_width}x{self.pane.pane_height}:\n"
            + self.screen()
        )

    def close(self) -> None:
        """End the terminal as a person closes its window."""
        self.session.kill()


@pytest.fixture
def terminal(tmp_path):
    """A function that opens the program in a terminal of its own tmux server."""
    server = libtmux.Server(socket_path=str(tmp_path / "tmux"), config_file="/dev/null")
    # Without a session of its own the server would end with the terminal that is closed.
    server.new_session(session_name="keeper", window_command="sleep 3600")

    def start(words: str = "demo", size: tuple[int, int] = (142, 42)) -> Terminal:
        return Terminal(server, tmp_path, words, size)

    yield start
    server.kill()


def to_petrel(screen: Terminal) -> None:
    """From the fleet to petrel, whatever order the fleet is in."""
    screen.wait_for("9 machines,")
    screen.wait_for("knot .* waits for")
    screen.press("/")
    screen.wait_for("Esc shows all")
    screen.type("petrel")
    screen.wait_for("╭─  petrel · web and database server")
    screen.press("Enter")
    time.sleep(0.3)  # a person's pause: until then a letter still goes to the filter


def test_petrel_goes_across_and_back_by_keys(terminal):
    screen = terminal()
    to_petrel(screen)
    screen.press("Enter")
    shown = screen.wait_for("survey again")
    assert "Quayside 5.3" in shown
    screen.press("n")
    shown = screen.wait_for("2 packages would go away")
    assert "estuary-agent" in shown and "cross" in shown
    screen.press("n")
    screen.wait_for("type the machine's name: petrel")
    screen.type("gannet")
    screen.press("Enter")
    screen.wait_for("that is not petrel")
    screen.type("petrel")
    screen.press("Enter")
    shown = screen.wait_for(r"\? Point the sources at the new release")
    assert "bowline-5.3" in shown and "+Suites: diamond" in shown
    screen.press("a")
    screen.wait_for("Stage one")
    # Closing the terminal does not end the crossing; opening it again shows where it is.
    screen.close()
    screen = terminal()
    to_petrel(screen)
    screen.press("5")
    screen.wait_for("crossing of petrel|Stage", 30)
    screen.press("6")
    shown = screen.wait_for("as good as before", 90)
    assert re.search(r"release.*5\.3.*7", shown)
    screen.press("7")
    screen.wait_for("before 5.3 bowline to 7 diamond")
    screen.press("Enter")
    shown = screen.wait_for("type the machine's name: petrel")
    assert "that came since would be lost, among them:" in shown
    screen.type("petrel")
    screen.press("Enter")
    screen.wait_for("equal to the way back|as good as before|back to", 60)
    screen.press("0")
    screen.wait_for("return: back to Quayside 5.3.*done", 60)
    screen.press("q")
    screen.wait_for("left with code 0")


@pytest.mark.parametrize("size", [(100, 30), (80, 24)])
def test_every_place_shows_itself_on_a_small_terminal(terminal, size):
    screen = terminal(size=size)
    to_petrel(screen)
    for key, words in (("2", "clear"), ("3", "7 diamond"), ("4", "no plan|plan"), ("5", "crossing"),
                       ("6", "proof"), ("7", "way back"), ("8", "kernel"), ("9", "webd.conf"),
                       ("0", "logbook")):  # fmt: skip
        screen.press(key)
        shown = screen.wait_for(words)
        lines = shown.splitlines()
        assert len(lines) <= size[1] and "Next" in shown
        assert all(len(line) <= size[0] for line in lines)
    screen.press("?")
    screen.wait_for("leave; a crossing goes on")


def begin_crossing(screen: Terminal, name: str) -> None:
    """From the fleet to the first question of a machine's crossing."""
    screen.press("/")
    screen.wait_for("Esc shows all")
    screen.type(name)
    screen.wait_for(f"╭─  {name} · ")
    screen.press("Escape")
    time.sleep(0.3)
    screen.press("n")
    screen.wait_for("cross to .* to fetch")
    screen.press("n")
    screen.wait_for(f"type the machine's name: {name}")
    screen.type(name)
    screen.press("Enter")
    screen.wait_for(r"\? Point the sources at the new release")


def test_two_crossings_at_once_are_both_watched(terminal):
    screen = terminal()
    screen.wait_for("knot .* waits for")
    begin_crossing(screen, "gannet")
    screen.press("1")
    begin_crossing(screen, "petrel")
    screen.wait_for("in need of you · 2 crossing")
    screen.press("a")
    screen.wait_for("Stage two")
    screen.press("[")
    screen.wait_for(r"\? Point the sources at the new release")
    screen.press("a")
    screen.wait_for("Stage two")
