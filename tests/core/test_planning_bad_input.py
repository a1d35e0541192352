"""The planner over what nobody should have to offer: absurd, forged, endless, broken."""

from brave_bridge.core.formats.packages.deb_index import index_of
from brave_bridge.core.planning.checker import faults_of_plan
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.core.planning.telling import told
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.policy import Origin, Policy
from tests.support.little_universe import NATIVE, little_universe, versions

A_MILLION = 1_000_000


def planned(installed: str, offered: str):
    universe = little_universe(installed, offered)
    plan = plan_packages(universe)
    assert faults_of_plan(plan) == [] and all(level.proven for level in plan.levels)
    return universe, plan


def test_a_million_packages_are_passed_over_where_nobody_asks_for_them():
    rows = [f"Package: p{n}\nVersion: 1\nDepends: p{n + 1}\n" for n in range(A_MILLION)]
    index = index_of(
        "\n".join(rows).encode() + b"\nPackage: tool\nVersion: 2\nDepends: p999990\n",
        NATIVE,
        "huge",
    )
    small = little_universe("tool 1", "tool 2")
    installed = {slot: one.package for slot, one in small.installed.items()}
    archive = DebArchive([(index, Origin())], Policy(), (NATIVE,), installed)
    plan = plan_packages(Universe(small.installed.values(), archive))
    # p999999 needs one that is not there, so nothing of the chain can come.
    assert versions(plan.after) == {"tool": "1"} and plan.kept_back == ["tool"]
    assert len(index._parsed) < 50, "only what is asked for is ever parsed"


def test_needs_that_go_round_in_circles_come_together():
    _, plan = planned("a 1", "a 2 Depends: b\nb 1 Depends: c\nc 1 Depends: a (>= 2)")
    assert versions(plan.after) == {"a": "2", "b": "1", "c": "1"}


def test_a_chain_of_ten_thousand_and_a_choice_among_five_thousand():
    chain = "\n".join(f"l{n} 1 Depends: l{n + 1}" for n in range(10_000)) + "\nl10000 1"
    _, plan = planned("a 1", f"a 2 Depends: l0\n{chain}")
    assert len(plan.new) == 10_001
    either = " | ".join(f"o{n}" for n in range(5_000))
    options = "\n".join(f"o{n} 1" for n in range(5_000))
    _, plan = planned("a 1", f"a 2 Depends: {either}\n{options}")
    assert plan.new == ["o0"]


def test_absurd_relations_make_a_package_impossible_and_nothing_worse():
    _, plan = planned(
        "a 1\nb 1\nc 1\nd 1",
        """
        a 2 Conflicts: a
        b 2 Depends: b (>> 99)
        c 2 Depends: ((((, |||, c (?? 1)
        d 2 Provides: d (= 1), d (= 2), d; Breaks: d (<< 9)
        """,
    )
    assert versions(plan.after) == {"a": "2", "b": "1", "c": "1", "d": "2"}


def test_forged_sizes_count_as_nothing():
    universe, plan = planned(
        "a 1 Installed-Size: -5", "a 2 Size: 999999999999999999999999; Installed-Size: 1e99"
    )
    changes = told(universe, plan, "x")
    assert (changes.download_bytes, changes.disk_bytes) == (0, 0)


def test_names_and_versions_with_control_codes_are_no_packages():
    text = (
        b"Package: a\x1b[2J\nVersion: 2\n\nPackage: a\nVersion: 2\x07\n\nPackage: a\nVersion: 3\n"
    )
    index = index_of(text, NATIVE, "odd")
    assert [version.version for version in index.versions("a")] == ["3"]
    assert not list(index.versions("a\x1b[2J")) and all(
        "\x1b" not in words and "\x07" not in words for words in index.unread
    )


def test_a_system_that_is_broken_already_is_told_and_mended_with_the_least_loss():
    universe, plan = planned(
        """
        agent 1 Depends: libgone (>= 3)
        tided 1 Depends: libtide1
        auto libtide1 1
        other 1
        """,
        "tided 2 Depends: libtide1\nlibtide1 1\nother 2",
    )
    changes = told(universe, plan, "diamond")
    assert changes.unsound == ("agent 1 needs libgone (>= 3), which is not there",)
    assert [(c.name, c.reason) for c in changes.removed] == [
        ("agent", "agent 1 needs libgone (>= 3), which no source has")
    ]
    assert versions(plan.after) == {"libtide1": "1", "other": "2", "tided": "2"}
