"""Proof and difference: judgements over plain facts."""

import msgspec
import pytest

from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.packages.changes import PackageChanges, difference
from brave_bridge.core.proof.compare import prove, prove_return
from brave_bridge.core.survey.facts import ChangedConfig, Identity
from tests.support.facts import NEW_SOURCES, change, facts, package, plan


def source(text: str) -> SourceFile:
    return SourceFile("/etc/apt/sources.list", text)


def crossed(**changes):
    made = {"identity": Identity("quayside", "", "7", "diamond", "amd64"),
            "sources_file": NEW_SOURCES}  # fmt: skip
    return facts(**{**made, **changes})


def test_a_good_crossing_is_proved():
    proof = prove(facts(), crossed(), (plan(),))
    assert proof.passed
    assert {d.verdict for d in proof.differences} == {"expected"}


@pytest.mark.parametrize(
    ("changes", "subject"),
    [
        ({"identity": facts().identity}, "release"),
        ({"tools": {}}, "quay-libc"),
        ({"packages": (package("quay-libc"),)}, "quay-webd"),
        ({"packages": (*facts().packages, package("x", state="unpacked"))}, "broken packages"),
        ({"sources_file": source("deb http://a.example/quayside bowline-5.3 main\n")},
         "/etc/apt/sources.list"),
    ],
)  # fmt: skip
def test_what_is_worse_is_a_regression(changes, subject):
    proof = prove(facts(), crossed(**changes), (plan(),))
    assert not proof.passed
    assert [d.subject for d in proof.differences if d.verdict == "regression"] == [subject]


def test_config_files_stand_as_decided():
    mine = ChangedConfig("/etc/quay-webd/webd.conf", "quay-webd", "dpkg", "aa")
    before = facts(changed_configs=(mine,))
    kept = prove(before, crossed(changed_configs=(mine,)), (plan(),))
    assert kept.passed
    spoilt = crossed(changed_configs=(msgspec.structs.replace(mine, sha256="bb"),))
    assert not prove(before, spoilt, (plan(),)).passed
    theirs = plan().with_answer(mine.path, "theirs")
    assert prove(before, crossed(), (theirs,)).passed


def test_removals_that_were_approved_are_no_regression():
    before = facts(packages=(*facts().packages, package("libtls1")))
    assert prove(before, crossed(), (plan(),)).passed


def test_a_return_is_proved_by_its_snapshot():
    assert prove_return("s", 0, ()).passed
    failed = prove_return("s", 2, ("/a: missing",))
    assert not failed.passed and failed.differences[0].subject == "/a: missing"


def test_a_difference_is_told_package_by_package():
    approved = plan()
    assert not list(difference(approved, plan()))
    now = PackageChanges(upgraded=(change("quay-libc"), change("quay-webd", new="3")),
                         removed=(change("quay-lamp", new=""),))  # fmt: skip
    assert list(difference(approved, now)) == [
        "libtls1 is not touched; in the plan it goes away",
        "libtls3 is not touched; in the plan it comes to 2",
        "quay-lamp goes away; in the plan it is not touched",
        "quay-webd comes to 3; in the plan it comes to 2",
    ]
