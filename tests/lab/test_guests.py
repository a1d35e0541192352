"""Guests shut down and started through the real libvirt client, on its own test driver."""

import os
import shutil
import signal
import subprocess
import time

import pytest

from brave_bridge.core.crossing.guests import GuestName
from brave_bridge.core.crossing.requests import Checkpoint
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.surroundings import Setting, Surroundings, within
from brave_bridge.families.registry import survey
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.questions import ask_all
from brave_bridge.runner.inline import drive
from brave_bridge.runner.performer import Performer
from brave_bridge.snapshots.beside import BesideFolder

NEEDED = ("libvirtd", "virsh", "unshare")
LACKING = [tool for tool in NEEDED if shutil.which(tool) is None]
pytestmark = pytest.mark.skipif(bool(LACKING), reason=f"missing tools: {', '.join(LACKING)}")

_DAEMON = """
mkdir -p /run/libvirt && mount -t tmpfs tmpfs /run/libvirt
exec libvirtd --config "$1/conf" --pid-file "$1/pid"
"""


class Here(FolderMachine):
    """A folder's files, with this machine's own commands."""

    kind = "running"

    def _wrapped(self, argv):
        return list(argv)

    def _answers(self, query):
        return ask_all(query)


@pytest.fixture
def libvirt(tmp_path, monkeypatch):
    """A daemon of its own with one simulated guest, ``test``, that keeps its state."""
    folder = tmp_path / "libvirt"
    (folder / "none").mkdir(parents=True)
    (folder / "conf").write_text(
        f'unix_sock_dir = "{folder}"\nauth_unix_ro = "none"\nauth_unix_rw = "none"\n'
    )
    daemon = subprocess.Popen(
        ["unshare", "--mount", "sh", "-ec", _DAEMON, "daemon", folder],
        env={**os.environ, "LIBVIRT_DRIVER_DIR": str(folder / "none")},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    uri = f"test+unix:///default?socket={folder}/libvirt-sock"
    monkeypatch.setenv("LIBVIRT_DEFAULT_URI", uri)
    keeper = None
    try:
        wait_for(lambda: (folder / "libvirt-sock").exists())
        # The driver forgets its guests when nobody is connected.
        keeper = subprocess.Popen(
            ["virsh", "event", "--all", "--loop"],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        time.sleep(0.5)
        yield uri
    finally:
        for process in filter(None, (keeper, daemon)):
            process.send_signal(signal.SIGTERM)
            process.wait(20)


def wait_for(holds) -> None:
    deadline = time.monotonic() + 20
    while not holds():
        assert time.monotonic() < deadline
        time.sleep(0.05)


def state() -> str:
    done = subprocess.run(["virsh", "domstate", "test"], capture_output=True, text=True, check=True)
    return done.stdout.strip()


def test_a_guest_is_seen_shut_down_and_started_again_whatever_the_outcome(libvirt, tmp_path):
    root = tmp_path / "root"
    (root / "etc").mkdir(parents=True)
    (root / "etc/os-release").write_text("ID=quayside\nVERSION_ID=7\n")
    machine = Here("heron", root)
    guests = survey(machine, "none").activity.guests
    assert [(g.name, g.manager, g.is_running) for g in guests] == [("test", "libvirt", True)]

    def inner():
        yield Checkpoint(title="look", name="ready", leg=0)
        seen.append((state(), (root / "state").read_text()))
        return Outcome(state="failed", at="stage one", why="for a test")

    seen: list = []
    mark = Setting(("cp", "/dev/null", str(root / "state")), ("rm", str(root / "state")))
    around = Surroundings((mark,), (GuestName("test", "libvirt"),))
    performer = Performer(machine, "deb", BesideFolder(machine, "0"), "trial")
    outcome = drive(within(around, inner()), performer)
    assert seen == [("shut off", "")]
    assert outcome.state == "failed" and outcome.warnings == ()
    assert state() == "running"
    assert not (root / "state").exists()
