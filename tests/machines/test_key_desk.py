"""Secrets from memory to memory: who may hand one over, and what is left of it."""

import os
import socket
import stat
import threading

import pytest

from brave_bridge.machines.folder_state import FolderState
from brave_bridge.runner.key_desk import (
    TAKEN,
    WITHDRAWN,
    NobodyWaits,
    hand_over,
    somebody_waits,
    take,
)

SECRET = b"CRJQ3XH5C9RYHS8H2FU8"


@pytest.fixture
def state(tmp_path):
    # A folder whose name alone is longer than an address of a socket may be.
    state = FolderState("lab", tmp_path / ("deep" * 40))
    state.make()
    return state


def waiting(state, judge=lambda given: TAKEN, seconds=20.0):
    """A thread that waits for a secret, and the list that what it took goes into."""
    taken: list[bytes | None] = []
    ready = threading.Event()
    thread = threading.Thread(
        target=lambda: taken.append(take(state, seconds, judge, ready.set)), daemon=True
    )
    thread.start()
    assert ready.wait(5)
    return thread, taken


def test_it_goes_from_hand_to_hand_and_leaves_nothing(state):
    thread, taken = waiting(state)
    assert somebody_waits(state)
    mode = stat.S_IMODE(state.here("key.sock").status().st_mode)
    assert mode == 0o600 and state.folder.stat().st_mode & 0o077 == 0
    assert hand_over(state, SECRET) == TAKEN
    thread.join(10)
    assert taken == [SECRET] and not somebody_waits(state)
    assert [place for place in state.folder.rglob("*") if place.is_file()] == []


def test_what_is_of_no_use_is_told_and_waited_on(state):
    thread, taken = waiting(state, lambda given: TAKEN if given == SECRET else "mistyped")
    assert hand_over(state, b"nonsense") == "mistyped"
    assert hand_over(state, b"A" * 100_000) == "it is longer than 400 characters"
    assert hand_over(state, SECRET) == TAKEN
    thread.join(10)
    assert taken == [SECRET]


def test_whoever_says_nothing_keeps_nobody_from_giving(state):
    thread, taken = waiting(state)
    with socket.socket(socket.AF_UNIX) as mute:
        folder = os.open(state.folder, os.O_PATH)
        mute.connect(f"/proc/self/fd/{folder}/key.sock")
        os.close(folder)
        mute.shutdown(socket.SHUT_WR)
    assert hand_over(state, SECRET) == TAKEN
    thread.join(10)
    assert taken[-1] in (SECRET, b"") and taken


def test_none_comes(state):
    thread, taken = waiting(state)
    assert hand_over(state, WITHDRAWN) == TAKEN
    thread.join(10)
    assert taken == [None]
    assert take(state, 0.2, lambda given: TAKEN, lambda: None) is None


def test_nobody_waits(state):
    with pytest.raises(NobodyWaits):
        hand_over(state, SECRET)
    # A socket that a killed process left is nobody.
    with socket.socket(socket.AF_UNIX) as left:
        folder = os.open(state.folder, os.O_PATH)
        left.bind(f"/proc/self/fd/{folder}/key.sock")
        os.close(folder)
    with pytest.raises(NobodyWaits):
        hand_over(state, SECRET)
    thread, taken = waiting(state)
    assert hand_over(state, SECRET) == TAKEN
    thread.join(10)
    assert taken == [SECRET]
