"""The planner: held against every way there is, and case by case."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brave_bridge.core.packages.levels import (
    DECIDED,
    HAND_INSTALLED_KEPT,
    LEVELS,
    NEW,
    UPGRADED,
)
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.planning.checker import faults_of_plan
from brave_bridge.core.planning.explanation import Explainer
from brave_bridge.core.planning.first_stage import first_stage
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.core.planning.prices import keeping, prices
from brave_bridge.core.planning.skipping import compare_ways
from brave_bridge.core.planning.telling import told
from tests.support.level_counter import failed_clauses
from tests.support.little_universe import every_way, little_universe, versions
from tests.support.reason_checker import faults_of_reason


def planned(installed: str, offered: str, preferences: Preferences | None = None, **words):
    universe = little_universe(installed, offered, **words)
    plan = plan_packages(universe, preferences)
    assert faults_of_plan(plan) == []
    return universe, plan


def test_a_new_library_comes_and_the_old_one_goes_where_it_is_in_the_way():
    universe, plan = planned(
        """
        tided 1 Depends: libtide1
        auto libtide1 1
        """,
        """
        tided 2 Depends: libtide2 (>= 2)
        libtide2 2 Breaks: libtide1 (<< 2)
        """,
    )
    assert versions(plan.after) == {"libtide2": "2", "tided": "2"}
    explainer = Explainer(universe, plan)
    assert [fact.words for fact in explainer.why_gone("libtide1").facts] == [
        "libtide2 2 cannot stand beside libtide1 1",
        "tided 2 needs libtide2 (>= 2)",
        "tided goes to 2",
    ]
    assert explainer.why_new("libtide2").words == "tided 2 needs libtide2 (>= 2)"


def test_an_old_library_stays_where_nothing_is_against_it():
    universe, plan = planned(
        "tided 1 Depends: libtide1\nauto libtide1 1", "tided 2 Depends: libtide2\nlibtide2 2"
    )
    assert versions(plan.after) == {"libtide1": "1", "libtide2": "2", "tided": "2"}
    assert first_stage(universe, plan.after) == frozenset()


def test_a_held_package_holds_others_back_and_says_so():
    universe, plan = planned(
        "hold gauge 1\nchart 1 Depends: gauge\nbuoy 1",
        "gauge 2\nchart 2 Depends: gauge (>= 2)\nbuoy 2",
    )
    assert versions(plan.after) == {"buoy": "2", "chart": "1", "gauge": "1"}
    assert plan.kept_back == ["gauge", "chart"]
    explainer = Explainer(universe, plan)
    assert explainer.why_kept("gauge").words == "gauge 1 is held"
    assert explainer.why_kept("chart").words == "chart 2 needs gauge (>= 2); gauge 1 is held"


def test_what_was_installed_by_hand_is_kept_before_anything_is_upgraded():
    installed = "plotter 1 Depends: ink (= 1)\nauto ink 1\nauto press 1 Depends: ink"
    offered = "plotter 1 Depends: ink (= 1)\nink 2\npress 2 Depends: ink (>= 2)"
    _, plan = planned(installed, offered)
    assert versions(plan.after) == {"ink": "1", "plotter": "1", "press": "1"}
    order = tuple(level for level in LEVELS if level != HAND_INSTALLED_KEPT)
    _, plan = planned(installed, offered, Preferences(order=order))
    assert versions(plan.after) == {"ink": "2", "press": "2"}


def test_the_price_of_keeping_a_package_is_told_and_can_be_refused():
    installed = "plotter 1 Depends: ink (= 1)\nauto ink 1\n" + "\n".join(
        f"press{number} 1 Depends: ink" for number in range(4)
    )
    offered = "plotter 1 Depends: ink (= 1)\nink 2\n" + "\n".join(
        f"press{number} 2 Depends: ink (>= 2)" for number in range(4)
    )
    universe, plan = planned(installed, offered)
    (price,) = prices(universe, plan, Explainer(universe, plan))
    assert (price.slot, price.lost) == ("plotter", ("plotter",))
    assert price.words == "keeping plotter keeps 5 back; without it they go on"
    let_go = Preferences(let_go=frozenset({"plotter"}))
    _, other = planned(installed, offered, let_go)
    assert other.kept_back == [] and other.removed == ["plotter"]
    assert versions(keeping(universe, other, ["plotter"]).after)["plotter"] == "1"


def test_essential_packages_stay_whatever_it_costs():
    _, plan = planned(
        "shell 1 Essential: yes\nthing 1", "thing 2 Conflicts: shell\nshell 1 Essential: yes"
    )
    assert versions(plan.after) == {"shell": "1", "thing": "1"}


def test_the_first_alternative_is_taken_and_a_real_package_before_one_that_provides_it():
    _, plan = planned(
        "mailer 1",
        "mailer 2 Depends: sender | courier, spool\nsender 1\ncourier 1\n"
        "box 1 Provides: spool; Priority: important\nspool 1\nabox 1 Provides: spool",
    )
    assert versions(plan.after) == {"mailer": "2", "sender": "1", "spool": "1"}


def test_what_is_there_already_answers_before_anything_new():
    _, plan = planned(
        "mailer 1\ncourier 1", "mailer 2 Depends: sender | courier\nsender 1\ncourier 1"
    )
    assert plan.new == []


def test_of_several_answers_one_that_comes_anyway_is_enough():
    _, plan = planned(
        "site 1\nserved 1",
        "site 2 Depends: mod | standalone\nserved 2 Depends: standalone\n"
        "mod 1 Depends: great-server\nstandalone 1\ngreat-server 1",
    )
    assert plan.new == ["standalone"]


def test_a_reason_says_where_something_else_would_have_done():
    universe, plan = planned(
        "site 1",
        "site 2 Depends: server, base\na-server 1 Provides: server\n"
        "b-server 1 Provides: server\nc-server 1 Provides: server\nbase 1",
    )
    explainer = Explainer(universe, plan)
    assert explainer.why_new("a-server").words == "site 2 needs server, for which 2 others would do"
    assert explainer.why_new("base").words == "site 2 needs base"


SOUND = (
    "auto desktop 1 Depends: player\nauto player 1\nauto player-radio 1 Depends: player\n"
    "auto core 1 Depends: player",
    "desktop 2 Depends: core (>= 2)\ncore 2 Depends: mixer\nplayer 2\n"
    "player-radio 2 Depends: player\nmixer 1 {0}",
)


def test_a_package_that_gives_way_to_its_successor_holds_nothing_back():
    takes = "Conflicts: player, player-radio; Replaces: player, player-radio"
    universe, plan = planned(SOUND[0], SOUND[1].format(takes))
    assert versions(plan.after) == {"core": "2", "desktop": "2", "mixer": "1"}
    assert not any(level.failed for level in plan.levels if level.name == UPGRADED)
    assert failed_clauses(universe, plan.after)[UPGRADED] == 0
    why = Explainer(universe, plan).why_gone("player").words
    assert "mixer 1 cannot stand beside player 2" in why


@pytest.mark.parametrize(
    "takes",
    [
        "Conflicts: player, player-radio",
        "Conflicts: player (<< 2), player-radio (<< 2); "
        "Replaces: player (<< 2), player-radio (<< 2)",
        "Conflicts: sound; Replaces: sound",
    ],
)
def test_what_is_against_a_package_without_taking_its_place_is_no_successor(takes):
    universe, plan = planned(
        SOUND[0] + "\nauto extra 1 Depends: player",
        SOUND[1].format(takes) + "\nextra 2 Depends: player",
    )
    by_counting = failed_clauses(universe, plan.after)
    assert {level.name: level.failed for level in plan.levels if level.name in by_counting} == (
        by_counting
    )


def test_one_that_was_installed_by_hand_does_not_give_way():
    takes = "Conflicts: player; Replaces: player"
    _, plan = planned(SOUND[0].replace("auto player 1", "player 1"), SOUND[1].format(takes))
    assert versions(plan.after)["player"] == "2"


def test_new_recommendations_come_and_those_that_were_declined_do_not():
    _, plan = planned(
        "chart 1 Recommends: fonts",
        "chart 2 Recommends: fonts, ink; Depends: paper\n"
        "fonts 1\nink 1 Recommends: blotter\nblotter 1\npaper 1 Recommends: nowhere",
    )
    assert sorted(plan.new) == ["blotter", "ink", "paper"]


def test_none_comes_where_the_machine_is_set_to_take_none():
    universe = little_universe("chart 1", "chart 2 Recommends: ink; Depends: paper\nink 1\npaper 1")
    universe.takes_recommended = False
    assert sorted(plan_packages(universe).new) == ["paper"]
    assert not universe.with_archive(universe.archive).takes_recommended


def test_a_recommendation_never_costs_a_package_that_is_there():
    _, plan = planned(
        "chart 1\nquill 1", "chart 2 Recommends: ink\nink 1 Conflicts: quill\nquill 1"
    )
    assert versions(plan.after) == {"chart": "2", "quill": "1"}


def test_versioned_provides_meet_versioned_needs_and_others_do_not():
    offered = "chart 2 Depends: ink (>= 2)\nbottle 1 Provides: ink{}"
    _, plan = planned("chart 1", offered.format(" (= 2)"))
    assert plan.new == ["bottle"]
    _, plan = planned("chart 1", offered.format(""))
    assert plan.new == [] and plan.kept_back == ["chart"]


def test_several_architectures():
    """Those that go together do so in one version; a foreign one serves all."""
    universe, plan = planned(
        "libc 1 Multi-Arch: same\nlibc 1 Multi-Arch: same; Architecture: i386\n"
        "old 1 Depends: libc, tool; Architecture: i386\ntool 1 Multi-Arch: foreign",
        "libc 2 Multi-Arch: same\nold 2 Depends: libc (>= 2), tool, perl:any; Architecture: i386\n"
        "tool 2 Multi-Arch: foreign\nperl 1 Multi-Arch: allowed",
        architectures=("amd64", "i386"),
    )
    assert plan.kept_back == ["libc", "old:i386"]
    assert universe.called("libc")[0].slot == "libc"
    _, plan = planned(
        "libc 1 Multi-Arch: same\nlibc 1 Multi-Arch: same; Architecture: i386\n"
        "old 1 Architecture: i386",
        "libc 2 Multi-Arch: same\nlibc 2 Multi-Arch: same; Architecture: i386\n"
        "old 2 Depends: libc (>= 2), perl:any; Architecture: i386\nperl 1 Multi-Arch: allowed",
        architectures=("amd64", "i386"),
    )
    assert versions(plan.after) == {"libc": "2", "libc:i386": "2", "old:i386": "2", "perl": "1"}


def test_what_is_against_one_architecture_lets_others_stand():
    """As Debian's C libraries for programs of other word sizes say it of each other."""
    lines = (
        "libc-small {0} Conflicts: libc-small:x32, libc-long:i386\n"
        "libc-long {0} Conflicts: libc-small:x32, libc-long:i386; Multi-Arch: foreign\n"
    )
    _, plan = planned(lines.format(1), lines.format(2))
    assert versions(plan.after) == {"libc-long": "2", "libc-small": "2"}
    for architecture, beside in (("amd64", False), ("any", False), ("i386", True)):
        offered = f"meter 2 Conflicts: gauge:{architecture}\ngauge 2"
        _, plan = planned("meter 1\ngauge 1", offered)
        assert (versions(plan.after) == {"gauge": "2", "meter": "2"}) is beside
    _, plan = planned(
        "meter 1\ngauge 1 Architecture: i386",
        "meter 2 Conflicts: gauge:i386",
        architectures=("amd64", "i386"),
    )
    assert plan.removed == ["gauge:i386"]


def test_a_package_is_never_against_itself_of_another_architecture():
    """As a library that takes the place of one whose name it provides."""
    lines = (
        "ink {0} Multi-Arch: same; Provides: dye; Conflicts: dye\n"
        "{1}ink {2} Multi-Arch: same; Provides: dye; Conflicts: dye; Architecture: i386\n"
    )
    both = ("amd64", "i386")
    _, plan = planned(lines.format(1, "", 1), lines.format(2, "", 2), architectures=both)
    assert versions(plan.after) == {"ink": "2", "ink:i386": "2"}
    universe, plan = planned(
        lines.format(1, "hold ", 1), lines.format(2, "", 2), architectures=both
    )
    reason = Explainer(universe, plan).why_kept("ink")
    assert reason.words == (
        "ink 2 cannot stand beside ink:i386 1, of another architecture; ink:i386 1 is held"
    )
    assert faults_of_reason(universe, plan, reason, [plan.candidates["ink"]]) == []


def test_a_tool_that_only_another_architecture_has_brings_its_own_libraries():
    offered = (
        "chart 2 Depends: plotter\nlibc 2 Multi-Arch: same\n"
        "plotter 2 Depends: libc (>= 2); Multi-Arch: foreign; Architecture: i386\n"
        "libc 2 Multi-Arch: same; Architecture: i386"
    )
    both = ("amd64", "i386")
    _, plan = planned("chart 1\nlibc 1 Multi-Arch: same", offered, architectures=both)
    assert versions(plan.after) == {
        "chart": "2",
        "libc": "2",
        "libc:i386": "2",
        "plotter:i386": "2",
    }


def test_stage_one_removes_nothing_and_brings_nothing():
    universe, plan = planned(
        "a 1\nb 1 Depends: a\nc 1\nold 1\nd 1",
        "a 2\nb 2 Depends: a (>= 2)\nc 2 Depends: new\nnew 1 Conflicts: old\nd 2 Depends: c (>= 2)",
    )
    assert plan.removed == ["old"] and first_stage(universe, plan.after) == {"a", "b"}


def test_a_system_that_is_broken_already_gets_the_least_repair():
    _, plan = planned("a 1 Depends: lost\nb 1\nhold c 1 Depends: gone", "b 2")
    assert versions(plan.after) == {"b": "2"}
    assert next(level for level in plan.levels if level.name == DECIDED).failed == 1


def test_preferences_of_a_person():
    installed, offered = "a 1\nb 1\nold 1", "a 2 Conflicts: old\nb 2 Depends: c\nc 1"
    _, plan = planned(installed, offered, Preferences(protect=frozenset({"old"})))
    assert versions(plan.after) == {"a": "1", "b": "2", "c": "1", "old": "1"}
    _, plan = planned(installed, offered, Preferences(exclude=frozenset({"c", "a"})))
    assert versions(plan.after) == {"a": "1", "b": "1", "old": "1"}


def test_what_is_to_go_goes_and_what_is_to_come_comes():
    installed = "a 1\ntool 1 Depends: lib\nauto lib 1\nb 1 Depends: tool | other"
    offered = "a 2\ntool 2 Depends: lib\nlib 2\nother 1 Depends: part\npart 1"
    preferences = Preferences().replacing("tool", "other")
    universe, plan = planned(installed, offered, preferences)
    assert versions(plan.after) == {"a": "2", "lib": "2", "b": "1", "other": "1", "part": "1"}
    changes = told(universe, plan, "2")
    reasons = {c.name: (c.reason, c.by_hand) for c in changes.removed + changes.new}
    assert reasons["tool"][0] == "you want tool to go"
    assert reasons["other"] == ("you asked for other", True)
    assert reasons["part"] == ("other 1 needs part", False)
    failed = {level.name for level in plan.levels if level.failed}
    assert failed == {NEW}, "a preference is no exception to another"
    assert preferences.replacing("tool", "other") == Preferences()


def test_what_gives_way_to_its_successor_is_not_lost():
    installed = "app 1 Depends: lib1\nauto lib1 1\nplugin 1 Depends: lib1"
    offered = (
        "app 2 Depends: lib1t64\n"
        "lib1t64 2 Provides: lib1 (= 2); Breaks: lib1 (<< 2); Replaces: lib1\n"
        "other 2 Replaces: plugin"
    )
    universe, plan = planned(installed, offered, Preferences(remove=frozenset({"plugin"})))
    changes = told(universe, plan, "2")
    assert [(change.name, change.successor) for change in changes.succeeded] == [
        ("lib1", "lib1t64")
    ]
    assert [change.name for change in changes.lost] == ["plugin"]


def test_what_needs_a_package_that_is_to_go_says_so():
    universe, plan = planned(
        "tool 1\nb 1 Depends: tool", "b 2 Depends: tool", Preferences(remove=frozenset({"tool"}))
    )
    assert plan.removed == ["tool", "b"]
    reason = next(c.reason for c in told(universe, plan, "2").removed if c.name == "b")
    assert "b 1 needs tool" in reason and "you want tool to go" in reason


def test_cyclic_and_absurd_relations():
    _, plan = planned(
        "a 1",
        "a 2 Depends: b\nb 1 Depends: c\nc 1 Depends: a (>= 2), b; Conflicts: c\n"
        "d 1 Depends: (, ; Breaks: a (<< x), ((",
    )
    assert versions(plan.after) == {"a": "2", "b": "1", "c": "1"}
    _, plan = planned("a 1", "a 2 Depends: b (( nonsense")
    assert plan.kept_back == ["a"], "what cannot be read is never met"


@pytest.mark.parametrize("spoil", ["drop", "keep", "held"])
def test_the_checker_finds_what_is_wrong(spoil):
    _, plan = planned(
        "tided 1 Depends: libtide1\nauto libtide1 1\nhold h 1",
        "tided 2 Depends: libtide2\nlibtide2 2 Breaks: libtide1\nh 2",
    )
    after = dict(plan.after)
    if spoil == "drop":
        del after["libtide2"]
    elif spoil == "keep":
        after["libtide1"] = plan.before["libtide1"].package
    else:
        after["h"] = plan.candidates["h"]
    spoilt = type(plan)(plan.before, after, plan.candidates, plan.levels, plan.preferences)
    assert len(faults_of_plan(spoilt)) == 1


NAMES = list("abcde")
_ATOM = st.builds(
    lambda name, version: name + version,
    st.sampled_from([*NAMES, "v"]),
    st.sampled_from(["", "", " (>= 2)", " (<< 2)", " (= 1)"]),
)
_CLAUSE = st.lists(_ATOM, min_size=1, max_size=2).map(" | ".join)


def _line(name: str, version: str):
    return st.builds(
        lambda mark, needs, breaks, provides, weight: (
            f"{mark}{name} {version} Depends: {', '.join(needs)}; Breaks: {', '.join(breaks)}; "
            f"Provides: {'v' if provides else ''}; Priority: {weight}"
        ),
        st.sampled_from(["", "", "auto ", "hold "]) if version == "1" else st.just(""),
        st.lists(_CLAUSE, max_size=2),
        st.lists(_ATOM, max_size=1),
        st.booleans(),
        st.sampled_from(["optional", "optional", "required"]),
    )


@st.composite
def little_worlds(draw):
    installed = [draw(_line(name, "1")) for name in NAMES if draw(st.integers(0, 4))]
    offered = [draw(_line(name, "2")) for name in NAMES if draw(st.integers(0, 4))]
    return "\n".join(installed), "\n".join(offered)


_QUALIFIED = st.builds(
    lambda name, architecture, version: name + architecture + version,
    st.sampled_from([*NAMES[:3], "v"]),
    st.sampled_from(["", "", ":any", ":i386", ":amd64"]),
    st.sampled_from(["", "", " (>= 2)", " (<< 2)"]),
)


def _line_of(name: str, version: str, architecture: str):
    return st.builds(
        lambda mark, needs, conflicts, provides, several: (
            f"{mark}{name} {version} Depends: {', '.join(needs)}; "
            f"Conflicts: {', '.join(conflicts)}; Provides: {'v' if provides else ''}; "
            f"Multi-Arch: {several}; Architecture: {architecture}"
        ),
        st.sampled_from(["", "", "auto ", "hold "]) if version == "1" else st.just(""),
        st.lists(_QUALIFIED, max_size=2),
        st.lists(_QUALIFIED, max_size=1),
        st.booleans(),
        st.sampled_from(["no", "same", "same", "foreign", "allowed"]),
    )


@st.composite
def worlds_of_two_architectures(draw):
    lines = {
        version: [
            draw(_line_of(name, version, architecture))
            for name in NAMES[:3]
            for architecture in ("amd64", "i386")
            if draw(st.integers(0, 2))
        ]
        for version in ("1", "2")
    }
    return "\n".join(lines["1"]), "\n".join(lines["2"])


@settings(max_examples=200, deadline=None)
@given(worlds_of_two_architectures())
def test_no_other_way_is_better_with_two_architectures(world):
    _is_best(*planned(*world, architectures=("amd64", "i386")))


@settings(max_examples=300, deadline=None)
@given(little_worlds())
def test_no_other_way_is_better(world):
    """The plan's levels equal the best of every way there is; explanations are true."""
    _is_best(*planned(*world))


def _is_best(universe, plan) -> None:
    best = min(_failed(universe, after) for after in every_way(universe, NAMES))
    assert _failed(universe, plan.after) == best
    assert [level.failed for level in plan.levels][: len(best)] == best
    assert all(level.proven for level in plan.levels)
    explainer = Explainer(universe, plan)
    try:
        for slot in plan.removed:
            wanted = [plan.before[slot].package, *_candidate(plan, slot)]
            assert faults_of_reason(universe, plan, explainer.why_gone(slot), wanted) == []
        for slot in plan.kept_back:
            if not plan.before[slot].held:
                reason = explainer.why_kept(slot)
                wanted = _candidate(plan, slot)
                assert faults_of_reason(universe, plan, reason, wanted) == []
        for slot in plan.new:
            facts = explainer.why_new(slot).facts
            assert facts and facts[-1].answers == (plan.after[slot],)
    finally:
        explainer.close()


def _failed(universe, after) -> list[int]:
    """How much fails at each level, the weightiest first."""
    return list(failed_clauses(universe, after).values())


def _candidate(plan, slot: str) -> list:
    return [plan.candidates[slot]] if slot in plan.candidates else []


def test_what_a_jump_over_a_release_leaves_out():
    installed = (
        "base 1 Priority: required; Depends: libold\nauto libold 1\ntide-data 1\ntided 1\n"
        "oldname 1\n"
    )
    middle = (
        "base 2 Priority: required; Depends: libmid\nlibmid 2\ntide-data 2\n"
        "tided 2 Replaces: tide-data (<< 2); Breaks: tide-data (<< 2)\n"
        "oldname 2 Section: oldlibs; Depends: newname\nnewname 2"
    )
    last = "base 3 Priority: required; Depends: libmid (>= 2)\ntide-data 3\ntided 3\nnewname 3\n"
    first_universe, first = planned(installed, middle)
    second_universe = first_universe.following(first.after, little_universe("", last).archive)
    second = plan_packages(second_universe)
    _, direct = planned(installed, last)
    found = compare_ways(direct, [first, second], [first_universe.archive])
    assert (found.mixed_base, found.left_at_old) == (("base",), ("base", "oldname"))
    assert found.never_installed == ("oldname",)
    (guard,) = found.guards
    assert guard.words == (
        "tided 2 takes over from tide-data (< 2); later versions do not say so, and "
        "tide-data 1 is here"
    )
    assert found.unmet == ("base 3 needs libmid (>= 2), which is not there",)
    assert found.sentence == (
        "On this machine the jump would leave 1 part of the base system behind, lose 1 guard "
        "against overwritten files that only the release between carries, leave 2 packages at "
        "the version of now, pass over 1 passing package and run into 1 thing that cannot stand "
        "together."
    )
