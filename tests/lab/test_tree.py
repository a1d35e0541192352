"""Commands inside a real tree that is only mounted."""

import os
import time
from pathlib import Path

import pytest

from brave_bridge.machines.tree import TreeMachine
from tests.support import lab


@pytest.fixture
def root(bullseye, tmp_path):
    with lab.overlay(bullseye, tmp_path) as merged:
        yield merged


def run(machine: TreeMachine, name: str, *argv: str) -> tuple[int, str]:
    """Run a command as a job; its exit code and output."""
    machine.start(name, argv, {})
    deadline = time.monotonic() + 30
    while (state := machine.job(name)).state == "running" and time.monotonic() < deadline:
        time.sleep(0.02)
    return state.exit_code, (Path(state.folder) / "output").read_text()


@pytest.mark.parametrize("link", ["", "../run/systemd/resolve/stub-resolv.conf"])
def test_names_are_looked_up_as_outside(root, link):
    place = root / "etc/resolv.conf"
    place.unlink(missing_ok=True)
    if link:
        place.symlink_to(link)
    else:
        place.write_text("nameserver 192.0.2.1\n")
    machine = TreeMachine("heron", root)
    assert run(machine, "look", "cat", "/etc/resolv.conf") == (
        0, Path("/etc/resolv.conf").read_text()
    )  # fmt: skip
    # The tree's own file is as it was: what is laid over it goes with the command.
    assert os.readlink(place) == link if link else "192.0.2.1" in place.read_text()


def test_what_a_command_leaves_running_ends_with_it(root):
    machine = TreeMachine("heron", root)
    code, _ = run(machine, "leave", "sh", "-c", "sleep 4711 & echo started")
    assert code == 0
    time.sleep(0.2)
    alive = [p for p in Path("/proc").glob("[0-9]*/cmdline") if b"4711" in _content(p)]
    assert alive == []
    assert not [line for line in Path("/proc/mounts").read_text().splitlines()
                if str(root) + "/" in line]  # fmt: skip


def _content(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError:
        return b""
