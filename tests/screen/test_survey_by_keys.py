"""A machine made ready by keys alone: updates, a restart, a reason, a note, a mended service."""

import shutil

import pytest

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]


def test_avocet_is_brought_up_to_date_and_restarted(terminal):
    screen = terminal("--demo avocet")
    screen.wait_for("Next ▸ bring it up to date: 4 updates")
    screen.press("n")
    screen.wait_for(
        "type the machine's name: avocet", "quay-ssh 8.4-8 → 8.4-9", "First a way back is made"
    )
    screen.type("avocet")
    screen.press("Enter")
    screen.wait_for(r"\? Restart the machine now\?", "Take a snapshot before the updates")
    screen.press("a")
    screen.wait_for("· done")
    screen.press("2")
    shown = screen.wait_for("No update of the present release is pending")
    assert "stands in the way" not in shown
    screen.press("8")
    screen.wait_for(r"◉ +5\.19\.0-7")


def test_a_service_is_mended_a_stop_is_overruled_and_the_difference_is_told(terminal):
    screen = terminal("--demo avocet")
    screen.wait_for("■ 4 updates pending")
    screen.press("s")
    screen.wait_for("■ 4 updates pending")
    screen.press("v")
    screen.wait_for("why it may stand")
    screen.type("the boat comes tomorrow")
    screen.press("Enter")
    screen.wait_for("Next ▸ plan the way to 7 diamond")
    screen.wait_for(r"1 change since the survey of", "↗")
    screen.press("/")
    screen.wait_for("Esc shows all")
    screen.type("failing")
    screen.wait_for("m runs this here")
    screen.press("Escape")
    screen.wait_for("want a look")
    screen.press("f")
    screen.wait_for("how it runs", "5.19.0-4", "findings")
    screen.press("f")
    screen.wait_for("want a look")


@pytest.mark.parametrize("size", [(100, 30), (80, 24)])
def test_a_note_written_on_one_machine_is_met_on_the_next(terminal, size):
    screen = terminal("--demo dunlin", size)
    screen.wait_for("plan the way to 7")
    screen.press("3")
    screen.wait_for("the way to 7 diamond")
    screen.press("i")
    screen.wait_for("what was learnt")
    screen.type("The gauge starts before its port")
    screen.press("C-g", "Enter")
    screen.wait_for("mend what stands in the way: Wait")
    screen.press("End")
    screen.wait_for("field note: The gauge starts")
    screen.close()
    again = terminal("--demo petrel", size)
    again.wait_for("Wait: The gauge starts before its port")
