"""What is only told does not slow what is done."""

import time

from brave_bridge.runner.sampling import Pace


def test_telling_that_takes_long_is_told_seldom():
    pace, told, began = Pace(), 0, time.monotonic()
    while time.monotonic() - began < 0.3:
        with pace.when_due() as is_due:
            if is_due:
                told += 1
                time.sleep(0.01)
    assert 1 <= told <= 2, "a fifth of a second and more is waited for"


def test_telling_that_costs_nothing_is_told_each_time_or_nearly():
    pace, told = Pace(), 0
    for _ in range(20):
        with pace.when_due() as is_due:
            told += is_due
        time.sleep(0.005)
    assert told >= 15


def test_what_fails_within_is_not_kept_back():
    pace = Pace()
    try:
        with pace.when_due():
            raise ValueError("full")
    except ValueError as error:
        assert str(error) == "full"
