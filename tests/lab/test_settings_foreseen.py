"""Settings that a coming version no longer takes: told on a real tree before anything changes."""

import json

import pytest

from brave_bridge.core.crossing.ahead import PLACE
from tests.support import lab
from tests.support.commands import run_command

pytestmark = pytest.mark.xdist_group("real settings")

RETIRED = "sntrup4591761x25519-sha512@tinyssh.org"
"""A key exchange of OpenSSH 8.4 that no later version knows."""


@pytest.fixture(scope="module")
def tree(bullseye, tmp_path_factory):
    with lab.overlay(bullseye, tmp_path_factory.mktemp("settings")) as tree:
        settings = tree / "etc/ssh/sshd_config.d/tides.conf"
        settings.write_text(f"KexAlgorithms {RETIRED},curve25519-sha256\n")
        yield tree


def test_the_leg_is_not_begun_while_a_new_version_refuses_its_settings(tree):
    seen = (
        "var/lib/dpkg/status",
        "usr/sbin/sshd",
        "usr/bin/openssl",
        "etc/ssh/sshd_config",
        "etc/apt/sources.list",
    )
    before = {path: (tree / path).read_bytes() for path in seen}
    done = run_command(["--tree", str(tree), "cross", "--to", "12", "--yes", "--json"])
    told = json.loads(done.stdout)["outcome"]
    assert done.returncode == 1, done.stdout[-3000:] + done.stderr[-2000:]
    assert "the new sshd refuses" in told["why"] and RETIRED in told["why"], told
    assert "no package was changed" in told["safe"] and "mend these settings" in told["next_step"]
    assert {path: (tree / path).read_bytes() for path in seen} == before
    assert not (tree / PLACE.lstrip("/")).exists()
