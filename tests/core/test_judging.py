"""Proof and difference: judgements over plain facts."""

import msgspec
import pytest

from brave_bridge.core.formats.apt_preferences import read_pins
from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.packages.changes import PackageChanges, difference
from brave_bridge.core.proof.compare import prove, prove_return
from brave_bridge.core.releases.conditions import LegTask
from brave_bridge.core.survey.facts import ChangedConfig, Identity
from brave_bridge.core.survey.manager_settings import PreferredRelease
from tests.support.facts import NEW_SOURCES, change, facts, package, plan


def source(text: str) -> SourceFile:
    return SourceFile("/etc/apt/sources.list", text)


ARRIVED = tuple(package(name, "2") for name in ("quay-libc", "quay-webd", "libtls3"))


def crossed(**changes):
    made = {
        "identity": Identity("quayside", "", "7", "diamond", "amd64"),
        "sources_file": NEW_SOURCES,
        "packages": ARRIVED,
    }
    return facts(**{**made, **changes})


def test_a_good_crossing_is_proved():
    proof = prove(facts(), crossed(), (plan(),))
    assert proof.passed
    assert {d.verdict for d in proof.differences} == {"expected"}


def test_what_a_running_system_wrote_after_a_return_is_told_and_no_fault():
    proof = prove_return("s-1", 0, [], 3)
    assert proof.passed and proof.differences[0].after == "3"
    assert not prove_return("s-1", 1, ["/etc/a: other content"], 3).passed


def test_what_is_left_to_a_person_stands_in_the_proof_until_it_is_ticked():
    tasks = (
        LegTask("look", "Look at the web server", "after", ("quay-web*",)),
        LegTask("save", "Save it", "before"),
        LegTask("other", "No", "after", ("tide*",)),
    )
    leg = msgspec.structs.replace(plan().leg, tasks=tasks)
    proof = prove(facts(), crossed(), (msgspec.structs.replace(plan(), leg=leg),))
    assert [(task.key, task.text) for task in proof.tasks] == [
        (f"{leg.key}/look", "Look at the web server")
    ]
    assert proof.passed and not proof.without_done({f"{leg.key}/look"}).tasks


@pytest.mark.parametrize(
    ("changes", "subject"),
    [
        ({"identity": facts().identity}, "release"),
        ({"tools": {}}, "quay-libc"),
        ({"packages": (ARRIVED[0], ARRIVED[2])}, "quay-webd"),
        ({"packages": ARRIVED[:2]}, "libtls3"),
        ({"packages": (*ARRIVED, package("libtls1"))}, "libtls1"),
        ({"packages": (*ARRIVED, package("x", state="unpacked"))}, "broken packages"),
        (
            {"sources_file": source("deb http://a.example/quayside bowline-5.3 main\n")},
            "/etc/apt/sources.list",
        ),
    ],
)
def test_what_is_worse_is_a_regression(changes, subject):
    proof = prove(facts(), crossed(**changes), (plan(),))
    assert not proof.passed
    assert [d.subject for d in proof.differences if d.verdict == "regression"] == [subject]


@pytest.mark.parametrize(
    ("changes", "cause"),
    [
        ({}, "it was not done"),
        ({"want": "hold"}, "it is held"),
        ({"state": "half-configured"}, "its installation did not end well"),
    ],
)
def test_what_stayed_at_the_old_release_is_named_with_its_cause(changes, cause):
    stayed = package("quay-webd", "1.18", **changes)
    proof = prove(facts(), crossed(packages=(ARRIVED[0], stayed, ARRIVED[2])), (plan(),))
    row = next(d for d in proof.differences if d.subject == "quay-webd")
    assert not proof.passed and row.verdict == "regression"
    assert (row.before, row.after) == ("1.18", "1.18") and cause in row.meaning


def test_a_pin_that_keeps_a_package_is_named_with_file_and_line():
    text = (
        "Explanation: the gauges\nPackage: *\nPin: release n=diamond\nPin-Priority: 500\n\n"
        "Package: quay-w*\nPin: release n=bowline\nPin-Priority: 990\n"
    )
    pins = tuple(read_pins(text, "/etc/apt/preferences.d/gauges"))
    assert [pin.where for pin in pins] == [f"/etc/apt/preferences.d/gauges:{n}" for n in (3, 7)]
    stayed = crossed(packages=(ARRIVED[0], package("quay-webd", "1.18"), ARRIVED[2]), pins=pins[1:])
    row = prove(facts(), stayed, (plan(),)).differences[0]
    assert "pinned to release n=bowline in /etc/apt/preferences.d/gauges:7" in row.meaning


def test_a_pin_to_the_new_release_is_no_cause():
    pins = tuple(read_pins("Package: *\nPin: release n=diamond\nPin-Priority: 500\n", "/etc/p"))
    stayed = crossed(packages=(ARRIVED[0], package("quay-webd", "1.18"), ARRIVED[2]), pins=pins)
    row = prove(facts(), stayed, (plan(),)).differences[0]
    assert row.subject == "quay-webd" and "it was not done" in row.meaning


def test_as_planned_is_said_only_where_all_of_it_is():
    whole = prove(facts(), crossed(), (plan(),))
    assert "packages as planned" in {row.subject for row in whole.same}
    less = prove(facts(), crossed(packages=ARRIVED[:2]), (plan(),))
    assert "packages as planned" not in {row.subject for row in less.same}


def test_what_the_plan_kept_back_is_told_and_is_no_regression():
    kept = plan(kept_back=(change("quay-editor", "1", ""),))
    before = facts(packages=(*facts().packages, package("quay-editor")))
    proof = prove(before, crossed(packages=(*ARRIVED, package("quay-editor"))), (kept,))
    assert proof.passed
    assert any(d.subject == "quay-editor" and "kept back" in d.meaning for d in proof.differences)


def test_what_went_on_since_the_plan_is_as_good():
    newer = (package("quay-libc", "2.0.1"), *ARRIVED[1:])
    assert prove(facts(), crossed(packages=newer), (plan(),)).passed


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
    assert not list(difference(approved.packages, plan().packages))
    now = PackageChanges(
        upgraded=(change("quay-libc"), change("quay-webd", new="3")),
        removed=(change("quay-lamp", new=""),),
    )
    assert list(difference(approved.packages, now)) == [
        "libtls1 is not touched; in the plan it goes away",
        "libtls3 is not touched; in the plan it comes to 2",
        "quay-lamp goes away; in the plan it is not touched",
        "quay-webd comes to 3; in the plan it comes to 2",
    ]


def test_a_release_of_before_that_is_still_preferred_is_left_to_a_person():
    told = PreferredRelease("bowline", "APT::Default-Release", "/etc/apt/apt.conf.d/99ours:1")
    before = msgspec.structs.replace(facts(), preferred_release=told)
    tasks = {task.key: task.text for task in prove(before, facts(), (plan(),)).tasks}
    assert "Have APT::Default-Release name diamond" in tasks["preferred-release"]
    assert "/etc/apt/apt.conf.d/99ours:1" in tasks["preferred-release"]
    other = msgspec.structs.replace(told, name="elsewhere")
    before = msgspec.structs.replace(before, preferred_release=other)
    assert "preferred-release" not in {t.key for t in prove(before, facts(), (plan(),)).tasks}
