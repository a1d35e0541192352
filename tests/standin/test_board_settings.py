"""A small board over a leg that writes its firmware's settings anew: none made by hand is lost."""

from brave_bridge.core.boot.firmware_text import setting_in
from brave_bridge.workbench.boot.booting import boot_seen
from tests.standin.test_restarts import cross

PLACE = "/boot/firmware/config.txt"


def text_of(desk) -> str:
    return desk.machine.files.read(PLACE, 10_000).decode()


def by_hand(desk) -> dict[str, bool | None]:
    return {one.words: one.by_hand for one in boot_seen(desk.facts()).board}


def test_what_was_set_by_hand_is_in_the_file_that_the_leg_ships(stand_in):
    desk = stand_in("dunlin")
    assert by_hand(desk) == {
        "arm_64bit=1": False,
        "enable_uart=1": True,
        "dtoverlay=tide-gauge,port=2": True,
    }
    outcome = cross(desk, "7")
    assert outcome.state == "done", outcome
    text = text_of(desk)
    assert setting_in(text, "enable_uart") == "1" and "dtoverlay=tide-gauge,port=2" in text
    # What the maker ships now is in it as well, and is known as that.
    assert setting_in(text, "gpu_mem") == "16"
    assert by_hand(desk)["gpu_mem=16"] is False and by_hand(desk)["enable_uart=1"] is True
    assert any("what was set by hand is in it again" in words for words in outcome.warnings)


def test_a_second_leg_keeps_it_as_well(stand_in):
    desk = stand_in("dunlin")
    assert cross(desk, "8").state == "done"
    settings = by_hand(desk)
    assert settings["enable_uart=1"] is True and settings["gpu_mem=16"] is False
