"""Commands inside a real tree that is only mounted."""

import fcntl
import os
import time
from pathlib import Path

import pytest

from brave_bridge.families.deb.commands import DebCommands
from brave_bridge.machines.tree import TreeMachine
from tests.support import lab

PATIENCE_SECONDS = 300


@pytest.fixture
def root(bullseye, tmp_path):
    with lab.overlay(bullseye, tmp_path) as merged:
        yield merged


def run(machine: TreeMachine, name: str, *argv: str) -> tuple[int, str]:
    """Run a command as a job; its exit code and output."""
    machine.jobs.start(name, argv, {})
    deadline = time.monotonic() + PATIENCE_SECONDS
    while (state := machine.jobs.state_of(name)).state == "running" and time.monotonic() < deadline:
        time.sleep(0.02)
    return state.exit_code, machine.jobs.output_of(name, 1 << 20).decode()


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
        0,
        Path("/etc/resolv.conf").read_text(),
    )
    # The tree's own file is as it was: what is laid over it goes with the command.
    assert os.readlink(place) == link if link else "192.0.2.1" in place.read_text()


def test_what_a_command_leaves_running_ends_with_it(root):
    machine = TreeMachine("heron", root)
    code, _ = run(machine, "leave", "sh", "-c", "sleep 4711 & echo started")
    assert code == 0
    time.sleep(0.2)
    alive = [p for p in Path("/proc").glob("[0-9]*/cmdline") if b"4711" in _content(p)]
    assert alive == []
    assert not [
        line for line in Path("/proc/mounts").read_text().splitlines() if str(root) + "/" in line
    ]


def _content(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError:
        return b""


def test_a_stage_waits_for_the_lock_that_another_package_manager_holds(root):
    machine = TreeMachine("heron", root)
    stage = DebCommands().stage_two()
    # Something to do, so that the lock is wanted: a package that is only half configured.
    status = root / "var/lib/dpkg/status"
    before, package, after = status.read_text().partition("Package: cron\nStatus: install ok ")
    status.write_text(before + package + after.replace("installed", "half-configured", 1))
    with open(root / "var/lib/dpkg/lock-frontend", "a+") as lock:
        fcntl.lockf(lock, fcntl.LOCK_EX)
        machine.jobs.start("stage", stage.argv, stage.environment)
        time.sleep(3)
        assert machine.jobs.state_of("stage").state == "running"
        fcntl.lockf(lock, fcntl.LOCK_UN)
    code, output = run(machine, "stage", *stage.argv)
    assert code == 0 and "Setting up cron" in output


AN_ADMINISTRATOR_S = """APT::Default-Release "sid";
APT::Get::Simulate "true";
APT::Get::Download-Only "true";
APT::Get::AutomaticRemove "true";
APT::Get::Purge "true";
quiet "2";
DPkg::Options { "--force-confnew"; "--force-confask"; };
"""


def test_settings_of_an_administrator_s_own_calls_change_nothing_that_we_do(root):
    machine = TreeMachine("heron", root)
    (root / "etc/apt/apt.conf.d/95own").write_text(AN_ADMINISTRATOR_S)
    (root / "etc/dpkg/dpkg.cfg.d").mkdir(exist_ok=True)
    (root / "etc/dpkg/dpkg.cfg.d/own").write_text("force-confnew\nforce-confask\n")
    (root / "etc/crontab").write_text("# mine\n")
    status = root / "var/lib/dpkg/status"
    before, package, after = status.read_text().partition("Package: cron\nStatus: install ok ")
    status.write_text(before + package + after.replace("installed", "unpacked", 1))
    (root / "etc/crontab.dpkg-new").write_text("# the package's\n")
    commands = DebCommands()
    assert run(machine, "without", "apt-get", "check")[0] == 100, "apt itself refuses to work"
    for number, step in enumerate((*commands.repair(), commands.check())):
        code, output = run(machine, f"step-{number}", *step.argv)
        assert code == 0, (step.title, output)
    assert "Package: cron\nStatus: install ok installed" in status.read_text()
    assert (root / "etc/crontab").read_text() == "# mine\n"
