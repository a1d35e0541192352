"""Families of packages with a version in their names: the next one is a question, all or none."""

import msgspec

from brave_bridge.core.packages.changes import PackageChanges, Succession
from brave_bridge.core.packages.choices import COMES, FAMILY, NONE_COMES, preferences_with
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.planning.telling import told
from brave_bridge.core.proof.compare import prove
from brave_bridge.families.deb.leg_plan import with_packages
from tests.core.test_planning import planned
from tests.support.facts import facts, plan

INSTALLED = """
tides7.4-cli 7.4 Depends: libwave1
libhttpd2-mod-tides7.4 7.4 Depends: libwave1
auto tides7.4-common 7.4
auto libwave1 1
auto libreef67 67
editor 1
"""
OFFERED = """
tides8.2-cli 8.2
tides8.2-common 8.2
tides8.1-cli 8.1
libhttpd2-mod-tides8.2 8.2
tides-doc 8
libwave2 2 Breaks: libwave1
httpd 2 Depends: libwave2
libreef72 72
editor 2 Depends: libwave2
"""
COMING = frozenset({"tides8.2-cli", "tides8.2-common", "libhttpd2-mod-tides8.2"})


def successions_of(installed: str, offered: str, preferences: Preferences | None = None):
    universe, found = planned(installed, offered, preferences)
    return told(universe, found, "8").successions


def test_a_family_is_found_by_its_names_and_goes_on_whole():
    (found,) = successions_of(INSTALLED, OFFERED)
    assert (found.old, found.new, found.coming) == ("tides7.4", "tides8.2", COMING)
    assert dict(found.packages)["libhttpd2-mod-tides7.4"] == "libhttpd2-mod-tides8.2"


def test_what_comes_by_itself_or_nobody_asked_for_is_no_question():
    offered = OFFERED.replace("editor 2", "editor 2 Recommends: x\nall 1")
    by_itself = INSTALLED + "tides 7 Depends: tides7.4-cli"
    comes = offered + "tides 8 Depends: tides8.2-cli, tides8.2-common, libhttpd2-mod-tides8.2"
    assert successions_of(by_itself, comes) == ()
    automatic = INSTALLED.replace("tides7.4-cli", "auto tides7.4-cli", 1).replace(
        "libhttpd2-mod", "auto libhttpd2-mod", 1
    )
    assert successions_of(automatic, OFFERED) == ()


def test_without_a_next_one_there_is_no_question():
    older = OFFERED.replace("8.2", "7.3").replace("8.1", "7.2")
    assert successions_of(INSTALLED, older) == ()


def test_all_of_it_is_asked_for_or_none_and_an_answer_is_taken_back():
    changes = PackageChanges(successions=successions_of(INSTALLED, OFFERED))
    (choice,) = with_packages(facts(), plan(), changes, Preferences()).choices
    assert (choice.kind, choice.subject, choice.answer) == (FAMILY, "tides7.4", NONE_COMES)
    wanted = preferences_with(Preferences(), choice, COMES)
    assert wanted.add == COMING
    assert preferences_with(wanted, choice, NONE_COMES) == Preferences()
    # Planned anew it is still the same question, answered otherwise.
    found = successions_of(INSTALLED, OFFERED, wanted)
    assert [one.coming for one in found] == [COMING]
    (again,) = with_packages(facts(), plan(), PackageChanges(successions=found), wanted).choices
    assert again.answer == COMES


def test_what_was_enabled_is_left_to_a_person():
    changes = PackageChanges(successions=(Succession("tides7.4", "tides8.2", (("a", "b"),)),))
    asked = with_packages(facts(), plan(), changes, Preferences(add=frozenset({"b"})))
    tasks = {task.key: task.text for task in prove(facts(), facts(), (asked,)).tasks}
    assert "enabled for each version apart" in tasks["family:tides7.4"]
    none = with_packages(facts(), plan(), changes, Preferences())
    assert "family:tides7.4" not in {task.key for task in prove(facts(), facts(), (none,)).tasks}
    assert msgspec.json.decode(msgspec.json.encode(changes), type=PackageChanges) == changes
