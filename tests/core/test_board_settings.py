"""A board's settings carried over what a leg ships anew."""

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.boot.firmware_text import KeptText, options_carried_over
from brave_bridge.core.crossing.kernels.board_settings import carry_board_settings
from brave_bridge.core.crossing.replies import Done, Failed
from brave_bridge.core.survey.platform import BoardFile
from tests.support.facts import facts

CONFIG, LINE = "/boot/firmware/config.txt", "/boot/firmware/cmdline.txt"
SHIPPED, MINE, NEW = "arm_64bit=1\n", "arm_64bit=1\nuart=1\n", "arm_64bit=1\ngpu_mem=16\n"


def file(text: str, path: str = CONFIG, **known) -> BoardFile:
    return BoardFile(path, text, record="/state/board/x.json", **known)


def carried(before, now, reply=Done("")):
    """The files that are written, and what is told."""
    written, script = {}, carry_board_settings(facts(board=before), facts(board=now))
    try:
        request = next(script)
        while True:
            written |= {one.path: one.text for one in request.files}
            request = script.send(reply)
    except StopIteration as end:
        return written, end.value


def test_what_was_set_by_hand_is_put_into_what_came_anew():
    written, told = carried((file(MINE, shipped=SHIPPED),), (file(NEW, shipped=NEW),))
    assert written[CONFIG] == NEW + "uart=1\n" and "is in it again" in told[-1]
    kept = msgspec.json.decode(written["/state/board/x.json"], type=KeptText)
    assert (kept.shipped, kept.written) == (NEW, NEW + "uart=1\n")


@pytest.mark.parametrize(
    ("before", "now"),
    [
        ((file(MINE),), (file(MINE),)),
        ((file(MINE),), (file("x=1\n", written="x=1\n"),)),
        ((), (file(NEW),)),
        ((), ()),
    ],
)
def test_nothing_is_written_where_nothing_came_anew(before, now):
    assert carried(before, now) == ({}, ())


def test_a_file_that_is_gone_is_there_again():
    written, told = carried((file(MINE),), ())
    assert written[CONFIG] == MINE and "was gone" in told[-1]


def test_what_cannot_be_written_is_told():
    _, told = carried((file(MINE),), (file(NEW),), Failed("writing", "read-only"))
    assert any("settings of before are not in" in words for words in told)


@pytest.mark.parametrize(
    ("base", "mine", "theirs", "result"),
    [
        ("a=1 quiet", "a=1 quiet gauge.port=2", "a=1", "a=1 gauge.port=2"),
        ("a=1", "a=2", "a=3\n", "a=2\n"),
        (
            "console=tty1",
            "console=tty1 console=ttyS0",
            "console=tty1",
            "console=tty1 console=ttyS0",
        ),
        ("", "a b", "a b c\n", "a b c\n"),
    ],
)
def test_options_of_the_kernel_are_carried_over(base, mine, theirs, result):
    assert options_carried_over(base, mine, theirs)[0] == result


OPTIONS = ("a=1", "a=2", "b", "c=x", "console=1", "console=2")
WORDS = st.lists(st.sampled_from(OPTIONS)).map(" ".join)


@given(WORDS, WORDS, WORDS)
def test_no_option_that_was_set_by_hand_is_lost(base, mine, theirs):
    result, _ = options_carried_over(base, mine, theirs)
    keys = {word.partition("=")[0] for word in result.split()}
    added = set(mine.split()) - set(base.split())
    assert {word.partition("=")[0] for word in added} <= keys
    assert {word.partition("=")[0] for word in theirs.split()} <= keys
