"""Regressions put into a real Debian tree on purpose: each is found and named, nothing else is."""

import pytest

from brave_bridge.core.proof.difference import REGRESSION
from brave_bridge.core.proof.topics import compare_topics
from brave_bridge.families.registry import baseline
from brave_bridge.machines.tree import TreeMachine
from tests.support import lab
from tests.support.certificates import certificate

EXPORTS = "/srv/archive 192.0.2.0/24(rw)\n/srv/charts *(ro)\n"
CRONTAB = "17 3 * * * root /usr/local/bin/dump-the-tides\n"
CERTIFICATE = "etc/letsencrypt/live/tides.example/cert.pem"


def furnish(tree) -> None:
    (tree / "etc/exports").write_text(EXPORTS)
    (tree / "etc/cron.d/dump").write_text(CRONTAB)
    (tree / "etc/passwd").open("a").write("isla:x:1001:1001::/home/isla:/bin/sh\n")
    place = tree / CERTIFICATE
    place.parent.mkdir(parents=True)
    place.write_text(certificate(days=30))
    (tree / "etc/hostname").write_text("heron\n")


def without(tree, path: str, text: str) -> None:
    place = tree / path
    assert text in place.read_text()
    place.write_text(place.read_text().replace(text, ""))


def relinked(tree, path: str, target: str) -> None:
    (tree / path).unlink()
    (tree / path).symlink_to(target)


SEEDS = {
    "export /srv/charts": lambda tree: without(tree, "etc/exports", "/srv/charts *(ro)\n"),
    f"/etc/cron.d/dump: {CRONTAB.strip()}": lambda tree: (tree / "etc/cron.d/dump").unlink(),
    "user isla": lambda tree: without(tree, "etc/passwd", "isla:x:1001:1001::/home/isla:/bin/sh\n"),
    f"/{CERTIFICATE}": lambda tree: (tree / CERTIFICATE).write_text(certificate(days=-2)),
    "pager": lambda tree: relinked(tree, "etc/alternatives/pager", "/usr/bin/scroll"),
    "sh": lambda tree: relinked(tree, "usr/bin/sh", "bash"),
    "host name": lambda tree: (tree / "etc/hostname").unlink(),
}


@pytest.mark.parametrize("subject", SEEDS)
def test_a_seeded_regression_is_found_and_nothing_else_is(bullseye, tmp_path, subject):
    with lab.overlay(bullseye, tmp_path) as tree:
        furnish(tree)
        machine = TreeMachine("heron", tree)
        before = baseline(machine, "deb")
        SEEDS[subject](tree)
        after = baseline(machine, "deb")
        worse = [p for p in compare_topics(before, after, ()) if p.verdict == REGRESSION]
        assert [point.subject for point in worse] == [subject], worse


def test_what_a_tree_cannot_tell_says_why(bullseye):
    facts = baseline(TreeMachine("heron", bullseye), "deb")
    absent = {topic.name: topic.absent for topic in facts.topics if topic.absent}
    assert {"units", "ports", "mounts", "pools", "guests", "clock"} <= absent.keys()
    assert all("does not run" in why for name, why in absent.items() if name != "firewall")
    there = {topic.name: len(topic.values) for topic in facts.topics if not topic.absent}
    assert min(there[name] for name in ("default programs", "accounts", "scheduled jobs")) > 5
    assert there["packages"] > 5
