"""Rules, proof, next step: judgements over plain facts."""

from datetime import date

import msgspec
import pytest

from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.formats.apt_status_db import Candidate
from brave_bridge.core.packages.changes import disagreement
from brave_bridge.core.packages.reasons import Relations
from brave_bridge.core.proof.compare import prove, prove_return
from brave_bridge.core.survey.facts import ArchiveSeen, ChangedConfig, Identity, Space
from brave_bridge.core.survey.findings import Situation, Verdict, counted, judge_all, stops
from brave_bridge.core.survey.rules import RULES
from tests.support.facts import NEW_SOURCES, TODAY, facts, package, plan, quayside

LINE = quayside()


def judged(**changes):
    """The findings by rule for a situation that differs from the healthy one."""
    situation = {"today": TODAY, "line": LINE, "release": LINE.release("5.3"),
                 "newest_way_back_days": 1}  # fmt: skip
    situation.update({k: changes.pop(k) for k in list(changes) if k in Situation.__struct_fields__
                      and k != "facts"})  # fmt: skip
    findings = judge_all(Situation(facts=facts(**changes), **situation), RULES)
    return {finding.id: finding for finding in findings}


def test_a_healthy_machine_is_clear():
    assert {f.verdict for f in judged().values()} == {Verdict.CLEAR}


def source(text: str) -> SourceFile:
    return SourceFile("/etc/apt/sources.list", text)


@pytest.mark.parametrize(
    ("rule", "verdict", "word", "changes"),
    [
        ("known-release", Verdict.STOP, "not in the catalogue", {"line": None, "release": None}),
        ("known-release", Verdict.STOP, "5.9", {
            "release": None, "identity": Identity("quayside", "", "5.9", "", "amd64")}),
        ("support-window", Verdict.CAUTION, "no security fixes", {"today": date(2027, 6, 1)}),
        ("support-window", Verdict.CAUTION, "days of support left", {"today": date(2027, 4, 1)}),
        ("support-window", Verdict.NOT_APPLICABLE, "No end", {"release": LINE.release("9")}),
        ("broken-packages", Verdict.STOP, "half installed",
         {"packages": (package("a", state="half-configured"),)}),
        ("held-packages", Verdict.CAUTION, "held", {"packages": (package("a", want="hold"),)}),
        ("moving-alias", Verdict.CAUTION, "alias",
         {"sources_file": source("deb http://a.example/quayside stable main\n")}),
        ("unsigned-sources", Verdict.CAUTION, "switched off",
         {"sources_file": source("deb [trusted=yes] http://a.example/quayside x main\n")}),
        ("unsigned-sources", Verdict.STOP, "no active", {"sources_file": source("# none\n")}),
        ("third-party-sources", Verdict.CAUTION, "outside",
         {"sources_file": source("deb http://b.example/tools bowline main\n")}),
        ("third-party-sources", Verdict.CAUTION, "outside", {"archives": (
            ArchiveSeen("http://a.example/quayside", "bowline-5.3", "Elsewhere", "", "", ""),)}),
        ("changed-configs", Verdict.CAUTION, "changed here",
         {"changed_configs": (ChangedConfig("/etc/a", "a", "dpkg", "0"),)}),
        ("set-aside", Verdict.CAUTION, "not merged", {"set_aside": ("/etc/a.dpkg-dist",)}),
        ("free-space", Verdict.CAUTION, "Only", {"space": (Space("/", 10, 100, 1),)}),
        ("free-space", Verdict.STOP, "Only", {"space": (Space("/", 10, 100, 1),), "plan": plan()}),
        ("way-back", Verdict.CAUTION, "no way back", {"newest_way_back_days": None}),
        ("way-back", Verdict.CAUTION, "41 days", {"newest_way_back_days": 41}),
    ],
)  # fmt: skip
def test_each_rule_finds_its_fault_and_nothing_else_stops(rule, verdict, word, changes):
    found = judged(**changes)
    finding = found[rule]
    assert finding.verdict is verdict and word in finding.title
    if verdict in (Verdict.STOP, Verdict.CAUTION):
        assert finding.evidence and finding.remedy and finding.meaning
    assert {f.id for f in stops(found.values())} <= {rule}


def test_what_was_not_read_does_not_apply():
    found = judged(evidence=())
    assert found["broken-packages"].verdict is Verdict.NOT_APPLICABLE
    assert "Not read" in found["broken-packages"].title
    assert counted(found.values())[Verdict.NOT_APPLICABLE] == 7


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
