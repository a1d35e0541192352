"""Terminals for the tests that drive the real interface."""

import contextlib
import os
import shutil
import signal
from pathlib import Path

import libtmux
import pytest

from brave_bridge.workbench.demo import build_demo
from tests.support.terminal import Terminal


@pytest.fixture(scope="session")
def demo_at_its_pace(tmp_path_factory) -> Path:
    """The demo fleet as a person has it, built once; nobody changes it."""
    folder = tmp_path_factory.mktemp("at-its-pace") / "demo"
    build_demo(folder)
    return folder


@pytest.fixture
def terminal(first_terminal, demo_at_its_pace, tmp_path):
    """A function that opens the program in a terminal; its demo fleet is there."""
    shutil.copytree(demo_at_its_pace, tmp_path / "brave-bridge/demo", symlinks=True)
    return first_terminal


@pytest.fixture
def first_terminal(tmp_path):
    """A function that opens the program in a terminal of its own tmux server, for the first time.

    All of its terminals have the same home.
    """
    server = libtmux.Server(socket_path=str(tmp_path / "tmux"), config_file="/dev/null")
    # Without a session of its own the server would end with the terminal that is closed.
    server.new_session(session_name="keeper", window_command="sleep 3600")

    def start(words: str = "demo", size: tuple[int, int] = (142, 42)) -> Terminal:
        return Terminal(server, tmp_path, words, size)

    yield start
    server.kill()
    end_runners(tmp_path)


def end_runners(home: Path) -> None:
    """End the runners that a test started and left: a question would keep one for ever."""
    for place in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            is_runner = b"brave_bridge.workbench.run" in (place / "cmdline").read_bytes()
            if is_runner and str(home).encode() in (place / "environ").read_bytes():
                os.kill(int(place.name), signal.SIGKILL)
