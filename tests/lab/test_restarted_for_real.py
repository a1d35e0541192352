"""Two legs of a real Debian under a real init, with both restarts, and nobody touching it."""

import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from brave_bridge.machines.runtime import python_argv
from tests.support import lab
from tests.support.container import Container, booted, why_not

pytestmark = pytest.mark.xdist_group("real restart")

BRIDGE = "/opt/bridge/brave-bridge"
LEFT_BEHIND = (
    "etc/systemd/system/brave-bridge-after-boot.service",
    "etc/systemd/system/multi-user.target.d",
)


def prepared(tree: Path, runtime: Path) -> None:
    """The tree with the bundle in it, and with names and archives that it can reach."""
    subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
    for name in ("dev", "sys", "proc", "run", "tmp", "mnt"):
        (tree / name).mkdir(exist_ok=True)


def procedures(container: Container) -> list[dict]:
    code, told = container.run(BRIDGE, "logbook", "--json", seconds=30)
    if code or "{" not in told:
        return []
    return json.loads(told[told.index("{") :])["procedures"]


def wait_for_the_end(container: Container, seconds: float) -> dict:
    """The newest procedure once it has ended."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        found = procedures(container)
        if found and found[0]["state"] not in ("running", "resting"):
            return found[0]
        # Each look is a process in it, and a system that goes down waits for all of them.
        time.sleep(4)
    raise AssertionError(f"it did not end: {procedures(container)[:1]}, boots {container.boots}")


@pytest.fixture(autouse=True)
def _a_system_can_be_booted():
    if reason := why_not():
        pytest.skip(reason)


def test_it_goes_on_by_itself_after_each_boot_until_the_last_proof(runtime, tmp_path, with_init):
    with lab.overlay(with_init, tmp_path) as tree:
        prepared(tree, runtime)
        with booted(tree, reaches=lab.proxy_ports()) as machine:
            variables = lab.proxies()
            code, told = machine.run(BRIDGE, "update", "--yes", seconds=300, **variables)
            assert code == 0, told
            machine.run(BRIDGE, "plan", "--to", "13", seconds=300, **variables)
            machine.run(BRIDGE, "cross", "--to", "13", "--yes", seconds=900, **variables)
            ended = wait_for_the_end(machine, 900)
            assert ended["state"] == "done", ended
            assert machine.boots == 3
            code, told = machine.run(BRIDGE, "proof", "--json", seconds=60)
            proof = json.loads(told[told.index("{") :])
            assert proof["passed"], proof
            assert code == 0
        assert not [name for name in LEFT_BEHIND if (tree / name).exists()]
        assert "trixie" in (tree / "etc/os-release").read_text()


LOCAL_SERVICE = """#!/sbin/openrc-run
# As OpenRC has it: Debian's package leaves it out.
depend() {
	after *
	keyword -timeout
}
start() {
	ebegin "Starting local"
	for file in /etc/local.d/*.start; do
		[ -x "$file" ] && "$file"
	done
	eend 0
}
"""


def with_local_starts(tree: Path) -> str:
    """Let OpenRC start local scripts, and no cron; by which it is known to be up."""
    service = tree / "etc/init.d/local"
    service.write_text(LOCAL_SERVICE)
    service.chmod(0o755)
    level = tree / "etc/runlevels/default"
    (level / "local").symlink_to("/etc/init.d/local")
    (level / "cron").unlink()
    (tree / "etc/local.d").mkdir()
    return 'test "$(cat /run/openrc/softlevel)" = default'


def test_openrc_goes_on_by_its_local_scripts(runtime, tmp_path, with_openrc):
    with lab.overlay(with_openrc, tmp_path) as tree:
        is_up = with_local_starts(tree)
        prepared(tree, runtime)
        with booted(tree, init="/sbin/init", is_up=is_up, reaches=lab.proxy_ports()) as machine:
            variables = lab.proxies()
            code, told = machine.run(BRIDGE, "update", "--yes", seconds=300, **variables)
            assert code == 0, told
            machine.run(BRIDGE, "cross", "--to", "12", "--yes", seconds=900, **variables)
            ended = wait_for_the_end(machine, 900)
            assert ended["state"] == "done", ended
            assert machine.boots == 2
            assert json.loads(machine.run(BRIDGE, "proof", "--json")[1])["passed"]
        assert not (tree / "etc/local.d/brave-bridge.start").exists()
        assert "bookworm" in (tree / "etc/os-release").read_text()


ARRANGED = """
from brave_bridge.machines.local import LocalMachine
from brave_bridge.runner import after_boot
print(after_boot.arrange(LocalMachine(), "20261130-of-nobody"))
"""


def test_another_init_has_cron_start_the_runner_once(runtime, tmp_path, with_openrc):
    is_up = 'test "$(cat /run/openrc/softlevel)" = default && test -s /run/crond.pid'
    python = python_argv(Path("/opt/bridge"))
    with lab.overlay(with_openrc, tmp_path) as tree:
        prepared(tree, runtime)
        with booted(tree, init="/sbin/init", is_up=is_up) as machine:
            told = machine.run(*python, "-c", ARRANGED)
            assert told == (0, "after the boot it goes on by itself, started by cron\n")
            entry = tree / "etc/cron.d/brave-bridge"
            assert entry.exists()
            machine.run("reboot")
            machine.wait_until_up(2)
            # A runner that finds no such procedure leaves nothing of what started it.
            until = time.monotonic() + 60
            while entry.exists() and time.monotonic() < until:
                time.sleep(0.5)
            assert not entry.exists()


def bridge(tree: Path, *words: str) -> tuple[int, dict]:
    """A command on the mounted tree, from outside; its exit code and document."""
    program = "from brave_bridge.cli.entry import main; main()"
    done = subprocess.run(
        [sys.executable, "-c", program, "--tree", str(tree), *words, "--json"],
        capture_output=True,
        text=True,
        check=False,
        timeout=600,
    )
    assert "{" in done.stdout, done.stderr
    return done.returncode, json.loads(done.stdout[done.stdout.index("{") :])


def test_a_mounted_tree_rests_until_it_was_started_and_told_of_its_boot(tmp_path, with_init):
    kernel = os.uname().release
    with lab.overlay(with_init, tmp_path) as tree:
        shutil.copy("/etc/resolv.conf", tree / "etc/resolv.conf")
        # The kernel that will come up in the namespaces: that of this machine.
        (tree / f"boot/vmlinuz-{kernel}").write_bytes(b"an image that nobody boots")
        bridge(tree, "update", "--yes")
        code, _ = bridge(tree, "cross", "--to", "12", "--yes")
        assert code == 4
        code, told = bridge(tree, "logbook")
        assert told["procedures"][0]["state"] == "resting"
        assert told["procedures"][0]["entries"][-1]["request"] == "AwaitRestart"
        # Gone on with before anybody started it, it rests again.
        assert bridge(tree, "go-on")[0] == 4
        with booted(tree) as machine:
            account = tree / "var/lib/brave-bridge/came-up.json"
            until = time.monotonic() + 60
            while not account.exists() and time.monotonic() < until:
                time.sleep(0.5)
            assert machine.boots == 1
        code, told = bridge(tree, "go-on", "--yes")
        assert code == 0 and told["outcome"]["proof"]["passed"], told
        assert json.loads(account.read_text())["kernel"] == kernel
        rows = {row["subject"]: row for row in told["outcome"]["proof"]["differences"]}
        assert "restart" not in rows
        assert not [name for name in LEFT_BEHIND if (tree / name).exists()]
