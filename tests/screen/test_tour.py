"""The tour of the README, walked by its keys: what it promises is there, step by step."""

import re
import shutil
from pathlib import Path

import pytest

from tests.screen.test_by_keys import to_petrel
from tests.support.terminal import Terminal

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]

README = Path(__file__).parents[2] / "README.md"
KEY = re.compile(r"`([a-z0-9]|Enter|Esc)`")


def steps() -> list[str]:
    """The numbered steps of the tour as the README has them."""
    text = README.read_text(encoding="utf-8")
    tour = text[text.index("## A tour in five minutes") : text.index("## On a real machine")]
    found = re.split(r"^\d+\. ", tour, flags=re.MULTILINE)[1:]
    return [step.partition("\n`gannet`")[0] for step in found]


class Walk:
    """Keys pressed at a step; at its end it has to have been all that the README names there."""

    def __init__(self, screen: Terminal) -> None:
        self.screen = screen
        self.pressed: set[str] = set()
        self.number = 0

    def press(self, key: str, *words: str, seconds: float = 120) -> None:
        self.pressed.add(key)
        self.screen.press(key)
        if words:
            self.screen.wait_for(*words, seconds=seconds)

    def leave(self, *words: str) -> None:
        self.screen.press("Escape")
        self.screen.wait_for(*words)

    def step_is_walked(self, *elsewhere: str) -> None:
        """``elsewhere`` are keys of the step that other tests press."""
        named = set(KEY.findall(steps()[self.number]))
        assert named == self.pressed | set(elsewhere), f"step {self.number + 1}"
        self.number, self.pressed = self.number + 1, set()


def test_the_tour_of_the_readme(first_terminal):
    screen = first_terminal()
    walk = Walk(screen)
    screen.wait_for("knot .* cross it")
    walk.press("o", "in the order: support left")
    walk.press("p", "seen by topics")
    walk.press("x", r"(?s)written.*brave-bridge-papers|brave-bridge-papers.*written")
    to_petrel(screen)
    walk.step_is_walked()
    walk.press("Enter", "survey again", "Quayside 5.3")
    walk.press("f", "in one pass", "system")
    walk.leave("survey again")
    walk.press("s", "read .* UTC, as at |since the survey of")
    walk.step_is_walked("m", "v", "u", "n")
    walk.press("3", "ways that are offered", "7 diamond")
    walk.press("i", "field note about 5.3 bowline to 7 diamond")
    walk.leave("ways that are offered")
    walk.step_is_walked()
    walk.press("n", "2 packages would go away|2 packages that would go away", "estuary-agent")
    walk.step_is_walked("Enter", "v", "h")
    walk.press("n", "type the machine's name: petrel")
    screen.type("gannet")
    screen.press("Enter")
    screen.wait_for("that is not petrel")
    screen.type("petrel")
    screen.press("Enter")
    screen.wait_for(r"\? Point the sources at the new release", "bowline-5.3", "+Suites: diamond")
    walk.press("a", "Stage one")
    # Closing the terminal does not end the crossing; opening it again shows where it is.
    screen.close()
    walk.screen = screen = first_terminal()
    to_petrel(screen)
    screen.press("5")
    # A leg ends when the restarted system is proven.
    screen.wait_for(r"\? Restart the machine now", "quay-linux-image", "I restart it myself")
    walk.press("a")
    walk.step_is_walked("u", "r")
    walk.press("6", r"release.*5\.3.*7", "as good as before", seconds=90)
    walk.step_is_walked("v")
    walk.press("7", "before 5.3 bowline")
    walk.press("k", "Pin it")
    screen.type("tides")
    screen.press("Enter")
    screen.wait_for("◆  2026|◆  20")
    walk.press("c", "recovery card|recovery-card")
    walk.press("x", "brave-bridge-papers")
    walk.press("Enter", "the machine's name: petrel", "Would be lost, as it came", "packages would")
    screen.type("the gauge is deaf")
    screen.wait_for("the gauge is deaf")
    screen.go_to_next_field()
    screen.type("petrel")
    screen.press("Enter")
    screen.wait_for("equal to the way back|as good as before|back to", seconds=60)
    walk.step_is_walked("b", "l", "v")
    walk.press("0", "return: back to Quayside 5.3.*done", seconds=60)
    walk.press("Enter", "Request|request|Checkpoint")
    walk.step_is_walked()
    screen.press("q")
    screen.wait_for("left with code 0")
