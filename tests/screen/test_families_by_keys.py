"""Machines of other families across and back, by keys in a real terminal."""

import shutil

import pytest

from tests.support.keys import CREW
from tests.support.terminal import Terminal

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]


def crossing_begun(screen: Terminal, name: str) -> None:
    """From the machine's Survey to the crossing that was agreed to."""
    screen.press("4")
    screen.wait_for("p plans the way to")
    screen.press("p")
    screen.wait_for("plan [0-9a-f]{8}")
    screen.press("c")
    screen.wait_for(f"type the machine's name: {name}")
    screen.type(name)
    screen.press("Enter")


def back_again(screen: Terminal, name: str, release: str) -> None:
    """From a crossing that is done back to what was."""
    screen.press("7")
    screen.wait_for(f"before .* to {release}|{release}")
    screen.press("Enter")
    screen.wait_for(f"the machine's name: {name}")
    screen.type("it was better")
    screen.wait_for("it was better")
    screen.go_to_next_field("Enter")
    screen.type(name)
    screen.press("Enter")
    screen.wait_for("return: .* · done")


def test_an_appliance_is_written_into_its_other_slot(terminal):
    screen = terminal("--demo puffin")
    screen.wait_for("╭─  puffin · storage appliance")
    crossing_begun(screen, "puffin")
    screen.wait_for(r"\? Restart the machine now", "slot b is started, on trial")
    screen.press("a")
    screen.wait_for("crossing: .* · done")
    screen.press("6")
    screen.wait_for("8.4-rc2-0518.*8.4-0622", "as good as before")
    back_again(screen, "puffin", "8.4")


def test_an_edition_is_opened_by_a_key_that_is_shown_nowhere(terminal):
    screen = terminal("--demo fulmar")
    screen.wait_for("╭─  fulmar · licensed server")
    crossing_begun(screen, "fulmar")
    screen.wait_for(r"\? The key of edition Crew is needed", "no key will come")
    screen.press("a")
    screen.wait_for("Five groups of four characters")
    screen.type(CREW.replace("8", "B", 1))
    screen.press("Enter")
    screen.wait_for("something in it is mistyped", "B may be 8")
    screen.type(CREW)
    assert CREW not in screen.screen() and CREW.lower() not in screen.screen().lower()
    screen.press("Enter")
    screen.wait_for(r"\? Restart the machine now", "edition Crew takes effect")
    assert CREW not in screen.screen()
    screen.press("a")
    screen.wait_for("crossing: .* · done")
    screen.press("6")
    screen.wait_for("Trial .*Crew", "as good as before", "activation")
    back_again(screen, "fulmar", "Crew")


def test_a_desktop_is_upgraded_from_its_medium_and_wants_back(terminal):
    screen = terminal("--demo whimbrel")
    screen.wait_for("╭─  whimbrel · office desktop")
    screen.press("2")
    screen.wait_for("No security chip is seen")
    screen.press("v")
    screen.wait_for("The reason is kept")
    screen.type("the office knows")
    screen.press("Enter")
    screen.wait_for("6 want a look")
    crossing_begun(screen, "whimbrel")
    screen.wait_for(r"\? Restart the machine now", "4 phases")
    screen.press("a")
    screen.wait_for("crossing: .* · done")
    screen.press("7")
    screen.wait_for("kept by the system itself", "kept by the upgrade", "10 days left")
    screen.press("Down", "Down")
    screen.press("Enter")
    screen.wait_for("Go back to 10", "the password that you had then")
    screen.type("labels print upside down")
    screen.press("C-f")
    screen.wait_for("the machine's name: whimbrel", "◆ The reason is kept as a field note about 10")
    screen.go_to_next_field("Enter")
    screen.type("whimbrel")
    screen.press("Enter")
    screen.wait_for("kept-system: .* · done")
