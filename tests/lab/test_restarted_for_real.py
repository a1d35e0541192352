"""Two legs of a real Debian under a real init, with both restarts, and nobody touching it."""

import json
import shutil
import subprocess
import time
from pathlib import Path

import pytest

from brave_bridge.runner.own_runtime import make_runtime
from tests.support import lab
from tests.support.container import Container, booted

pytestmark = pytest.mark.xdist_group("real restart")

BRIDGE = "/opt/bridge/brave-bridge"
LEFT_BEHIND = (
    "etc/systemd/system/brave-bridge-after-boot.service",
    "etc/systemd/system/multi-user.target.d",
)


def prepared(tree: Path, runtime: Path) -> None:
    """The tree with the bundle in it, and with names and archives that it can reach."""
    subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
    shutil.copy("/etc/resolv.conf", tree / "etc/resolv.conf")
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
        time.sleep(1)
    raise AssertionError(f"it did not end: {procedures(container)[:1]}, boots {container.boots}")


@pytest.fixture(scope="module")
def runtime(tmp_path_factory) -> Path:
    return make_runtime(tmp_path_factory.mktemp("made") / "runtime")


def test_it_goes_on_by_itself_after_each_boot_until_the_last_proof(runtime, tmp_path, with_init):
    with lab.overlay(with_init, tmp_path) as tree:
        prepared(tree, runtime)
        with booted(tree) as machine:
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
