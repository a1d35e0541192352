"""A leg that fails in the middle on a real system, is mended, and is gone on with."""

import subprocess

import pytest

from brave_bridge.core.formats.apt_status_db import read_status
from tests.lab.test_real_crossing import ask, desk_of
from tests.support import lab

pytestmark = pytest.mark.xdist_group("real open leg")
BLOCKED = "usr/sbin/logrotate"


def test_a_file_that_cannot_be_replaced_stops_a_leg_and_once_mended_it_goes_on(bullseye, tmp_path):
    with lab.disk(tmp_path, "ext4", "4G") as disk:
        tree = disk / "heron"
        lab.copy_tree(bullseye, tree)
        subprocess.run(["chattr", "+i", tree / BLOCKED], check=True)
        try:
            failed = ask(tree, "cross", "--to", "12", "--yes", code=3)
            assert failed["state"] == "failed" and "Operation not permitted" in str(failed)
            survey = ask(tree, "survey")
            told = next(f for f in survey["findings"] if f["id"] == "open-leg")
            assert told["verdict"] == "stop" and "is not whole" in told["title"]
            for words in (("plan", "--to", "13"), ("cross", "--to", "12", "--yes")):
                assert "is not whole" in ask(tree, *words, code=1)["why"]
            proof = ask(tree, "proof", code=1)
            stayed = [d for d in proof["differences"] if "was planned" in d["meaning"]]
            assert len(stayed) > 5 and not proof["passed"], "what stayed at the old release"
            assert ask(tree, "go-on", "--yes", code=3)["state"] == "failed", "the cause stands"
        finally:
            subprocess.run(["chattr", "-i", tree / BLOCKED], check=True)
        # Found, and gone on with, also where the logbook is lost.
        (desk_of(tree).machine.state.folder / "logbook.sqlite").unlink()
        crossed = ask(tree, "go-on", "--yes")
        assert crossed["state"] == "done" and crossed["outcome"]["proof"]["passed"]
        packages = read_status((tree / "var/lib/dpkg/status").read_text(), where="status")
        old = [p.name for p in packages if "deb11" in p.version and p.is_present]
        assert set(old) <= set(crossed["outcome"]["obsolete"])
        assert ask(tree, "proof")["passed"]
        way_back = crossed["outcome"]["ways_back"][0]
        ask(tree, "return", way_back, "--yes")
        assert "bullseye" in (tree / "etc/os-release").read_text()
