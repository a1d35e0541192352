"""A real Debian under a real init: one leg mounted, one as it runs, each with its restart."""

import json
import os
import shutil
import subprocess
import time
from pathlib import Path

import pytest

from brave_bridge.machines.runtime import python_argv
from brave_bridge.store.rows import ProcedureRow
from tests.support import lab
from tests.support.commands import run_command
from tests.support.container import Container, booted, why_not
from tests.support.runs import newest_procedure

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


def wait_for_the_end(container: Container, tree: Path, seconds: float) -> ProcedureRow:
    """The newest procedure once it has ended."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        found = newest_procedure(tree)
        if found.state not in ("running", "resting"):
            return found
        time.sleep(1)
    raise AssertionError(f"it did not end: {newest_procedure(tree)}, boots {container.boots}")


@pytest.fixture(autouse=True)
def _a_system_can_be_booted():
    if reason := why_not():
        pytest.skip(reason)


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


ARRANGED = """
from brave_bridge.machines.local import LocalMachine
from brave_bridge.runner import after_boot
print(after_boot.arrange(LocalMachine(), "20261130-of-nobody"))
"""


@pytest.mark.parametrize(
    ("by", "words", "place"),
    [
        ("cron", ", started by cron", "etc/cron.d/brave-bridge"),
        ("local scripts", "", "etc/local.d/brave-bridge.start"),
    ],
)
def test_another_init_starts_the_runner_once(runtime, tmp_path, with_openrc, by, words, place):
    python = python_argv(Path("/opt/bridge"))
    with lab.overlay(with_openrc, tmp_path) as tree:
        is_up = 'test "$(cat /run/openrc/softlevel)" = default && test -s /run/crond.pid'
        if by == "local scripts":
            is_up = with_local_starts(tree)
        prepared(tree, runtime)
        with booted(tree, init="/sbin/init", is_up=is_up) as machine:
            told = machine.run(*python, "-c", ARRANGED)
            assert told == (0, f"after the boot it goes on by itself{words}\n")
            entry = tree / place
            assert entry.exists()
            machine.run("reboot")
            machine.wait_until_up(2)
            # A runner that finds no such procedure leaves nothing of what started it.
            until = time.monotonic() + 300
            while entry.exists() and time.monotonic() < until:
                time.sleep(0.5)
            assert not entry.exists()


def bridge(tree: Path, *words: str) -> tuple[int, dict]:
    """A command on the mounted tree, from outside; its exit code and document."""
    done = run_command(["--tree", str(tree), *words, "--json"])
    assert "{" in done.stdout, done.stderr
    return done.returncode, json.loads(done.stdout[done.stdout.index("{") :])


def test_it_is_crossed_mounted_then_started_and_crosses_on_by_itself(tmp_path, runtime, with_init):
    kernel = os.uname().release
    with lab.overlay(with_init, tmp_path) as tree:
        shutil.copy("/etc/resolv.conf", tree / "etc/resolv.conf")
        # The kernel that will come up in the namespaces: that of this machine.
        (tree / f"boot/vmlinuz-{kernel}").write_bytes(b"an image that nobody boots")
        assert_it_rests_until_it_was_started(tree, kernel)
        prepared(tree, runtime)
        with booted(tree, reaches=lab.proxy_ports()) as machine:
            words = ("cross", "--to", "13", "--yes")
            machine.run(BRIDGE, *words, seconds=1800, **lab.proxies())
            ended = wait_for_the_end(machine, tree, 1800)
            assert ended.state == "done", ended
            assert machine.boots == 2
            code, told = machine.run(BRIDGE, "proof", "--json", seconds=300)
            proof = json.loads(told[told.index("{") :])
            assert proof["passed"] and code == 0, proof
            assert_it_restarts_under_the_newest_login_manager(machine, tree)
        assert not [name for name in LEFT_BEHIND if (tree / name).exists()]
        assert "trixie" in (tree / "etc/os-release").read_text()


def assert_it_restarts_under_the_newest_login_manager(machine: Container, tree: Path) -> None:
    """What holds off a shutdown for us must not hold off our own: version 257 refuses that."""
    code, told = machine.run("loginctl", "--version")
    assert code == 0 and int(told.split()[1]) >= 257, told
    boots = machine.boots
    machine.run("touch", "/run/reboot-required")
    machine.run(BRIDGE, "mend", "restart-pending", "--yes", seconds=600)
    ended = wait_for_the_end(machine, tree, 600)
    assert (ended.kind, ended.state) == ("remedy", "done"), ended
    assert machine.boots == boots + 1
    assert ended.outcome.proof is not None and ended.outcome.proof.passed, ended.outcome


def assert_it_rests_until_it_was_started(tree: Path, kernel: str) -> None:
    """Cross it as a mounted tree; the leg waits until the system was started, and told so."""
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
        until = time.monotonic() + 300
        while not account.exists() and time.monotonic() < until:
            time.sleep(0.5)
        assert machine.boots == 1
    code, told = bridge(tree, "go-on", "--yes")
    assert code == 0 and told["outcome"]["proof"]["passed"], told
    assert json.loads(account.read_text())["kernel"] == kernel
    rows = {row["subject"]: row for row in told["outcome"]["proof"]["differences"]}
    assert "restart" not in rows
    assert not [name for name in LEFT_BEHIND if (tree / name).exists()]
