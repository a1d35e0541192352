"""Regressions of what runs, put into a real Debian under systemd: each is found and named."""

import json
import subprocess
import time

import pytest

from tests.support import lab
from tests.support.container import Container, booted, why_not

pytestmark = pytest.mark.xdist_group("real restart")

BRIDGE = "/opt/bridge/brave-bridge"
GAUGE = """[Unit]
Description=Watches the gauge
[Service]
ExecStart=/bin/sleep infinity
[Install]
WantedBy=multi-user.target
"""


def sh(machine: Container, script: str) -> None:
    code, told = machine.run("sh", "-ec", script)
    assert code == 0, told


def worse(machine: Container) -> dict[str, str]:
    """What is worse than in the newest baseline: subjects, and the topics that say so."""
    code, told = machine.run(BRIDGE, "baseline", "--compare", "--json")
    assert "{" in told, (code, told)
    rows = json.loads(told[told.index("{") :])["differences"]
    return {row["subject"]: row["topic"] for row in rows if row["verdict"] == "regression"}


SEEDS = {
    "a unit off": (
        "systemctl stop gauge.service",
        "systemctl start gauge.service",
        {"gauge.service": "units"},
    ),
    "a unit that failed": (
        "systemctl kill --signal=ABRT gauge.service; sleep 0.5",
        "systemctl reset-failed gauge.service; systemctl start gauge.service",
        {"gauge.service": "units"},
    ),
    "a unit not enabled": (
        "systemctl disable gauge.service",
        "systemctl enable gauge.service",
        {"gauge.service": "units"},
    ),
    "a service that hangs": (
        "systemctl kill --kill-who=main --signal=STOP ssh.service",
        "systemctl kill --kill-who=main --signal=CONT ssh.service",
        {"tcp 22": "answers"},
    ),
    "a service that is gone, with its port": (
        "systemctl stop ssh.service",
        "systemctl start ssh.service",
        {"ssh.service": "units", "tcp 22": "ports"},
    ),
    "a file system not mounted": (
        "umount /srv",
        "mount --bind /opt /srv",
        {"/srv": "mounts"},
    ),
    "an address lost": (
        "ip address del 192.0.2.7/24 dev lo",
        "ip address add 192.0.2.7/24 dev lo",
        {"address 192.0.2.7/24": "network"},
    ),
    "a name server gone": (
        ": > /etc/resolv.conf",
        "echo nameserver 192.0.2.53 > /etc/resolv.conf",
        {"name server 192.0.2.53": "network"},
    ),
    "a shell of another kind": (
        "ln -sf bash /usr/bin/sh",
        "ln -sf dash /usr/bin/sh",
        {"sh": "default programs"},
    ),
    "settings that a program refuses": (
        "echo 'PubkeyAcceptedAlgorithms +of-nobody' >> /etc/ssh/sshd_config",
        "sed -i '$d' /etc/ssh/sshd_config",
        {"sshd": "program settings"},
    ),
    "a timer stopped": (
        "systemctl stop apt-daily.timer",
        "systemctl start apt-daily.timer",
        {"apt-daily.timer": "units"},
    ),
}


@pytest.fixture(autouse=True, scope="module")
def _a_system_can_be_booted():
    if reason := why_not():
        pytest.skip(reason)


@pytest.fixture(scope="module")
def machine(runtime, with_init, tmp_path_factory):
    """A system that runs, whose baseline was taken."""
    with lab.overlay(with_init, tmp_path_factory.mktemp("runs")) as tree:
        subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
        for name in ("dev", "sys", "proc", "run", "tmp", "mnt"):
            (tree / name).mkdir(exist_ok=True)
        (tree / "etc/systemd/system/gauge.service").write_text(GAUGE)
        (tree / "etc/resolv.conf").write_text("nameserver 192.0.2.53\n")
        with booted(tree) as running:
            sh(running, "ip address add 192.0.2.7/24 dev lo")
            sh(running, "systemctl enable --now gauge.service; mount --bind /opt /srv")
            sh(running, "systemctl restart ssh.service")
            assert running.run(BRIDGE, "baseline")[0] == 0
            yield running


def test_twice_the_same_is_no_regression(machine):
    assert worse(machine) == {}
    time.sleep(2)
    assert worse(machine) == {}


@pytest.mark.parametrize("name", SEEDS)
def test_a_seeded_regression_is_found_and_nothing_else_is(machine, name):
    seed, mend, expected = SEEDS[name]
    sh(machine, seed)
    try:
        assert worse(machine) == expected
    finally:
        sh(machine, mend)
