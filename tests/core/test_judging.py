"""Proof, disagreement, reasons: judgements over plain facts."""

import msgspec
import pytest

from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.formats.apt_status_db import Candidate
from brave_bridge.core.packages.changes import disagreement
from brave_bridge.core.packages.reasons import Relations
from brave_bridge.core.proof.compare import prove, prove_return
from brave_bridge.core.survey.facts import ChangedConfig, Identity
from tests.support.facts import NEW_SOURCES, facts, package, plan


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


def test_disagreement_is_only_what_was_not_approved():
    assert not disagreement(plan(), {"libtls1"}, set())
    differs = disagreement(plan(), {"libtls1", "x"}, {"y"})
    assert differs.removed_unapproved == ("x",) and differs.kept_unapproved == ("y",)
    assert "also remove x" in differs.words and "keep back y" in differs.words


def test_reasons_name_who_is_behind_a_change():
    relations = Relations(
        [
            Candidate("db", "2", "amd64", 1, 1, "", {"Depends": "lib2", "Breaks": "old (<< 2)"}),
            Candidate("tool2", "2", "amd64", 1, 1, "", {"Replaces": "tool", "Conflicts": "tool"}),
        ]
    )
    assert relations.why_new("lib2") == "needed by db"
    assert relations.why_new("virtual-lib", ["lib2"]) == "needed by db"
    assert relations.why_removed("old", [], {}) == "cannot stand beside the new db"
    assert relations.why_removed("tool", [], {}) == "tool2 takes its place"
    assert relations.why_removed("agent", ["lib1"], {"lib1": "7"}) == (
        "needs lib1, which 7 no longer has"
    )
