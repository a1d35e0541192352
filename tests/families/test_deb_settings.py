"""apt's settings that no plan has: found with their places, and answered by our own calls."""

import pytest

from brave_bridge.core.formats.apt_conf import settings_in_files
from brave_bridge.families.deb.settings import (
    as_planned,
    preferred_release,
    settings_against,
    settings_naming,
)
from brave_bridge.families.deb.universe import universe_of
from brave_bridge.machines.tree import TreeMachine


def told(text: str):
    return list(settings_in_files([("/etc/apt/apt.conf.d/95own", text)]).values())


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("", []),
        ('APT::Get { Purge "yes"; Simulate "1"; };', ["APT::Get::Simulate", "APT::Get::Purge"]),
        ('APT::Get::Purge "false"; APT::Get::Remove "true";', []),
        ('apt::get::remove "no";', ["APT::Get::Remove"]),
    ],
)
def test_what_is_against_a_plan_is_found(text, names):
    found = list(settings_against(told(text)))
    assert [one.name for one in found] == names
    assert all(one.where == "/etc/apt/apt.conf.d/95own:1" for one in found)
    given = as_planned()
    assert all(any(word.startswith(f"{name}=") for word in given) for name in names)


def test_what_we_say_ourselves_is_never_against_a_plan():
    ours = "".join(f"{word.replace('=', ' ')};\n" for word in as_planned() if word != "-o")
    assert list(settings_against(told(ours))) == []


def test_the_release_that_is_preferred_is_found():
    found = preferred_release(told('APT::Default-Release "bowline-5.3";'))
    assert (found.name, found.where) == ("bowline-5.3", "/etc/apt/apt.conf.d/95own:1")
    assert preferred_release(told('APT::Default-Release "";')) is None


NAMES = """// Unattended-Upgrade for bookworm is off.
Unattended-Upgrade::Origins-Pattern {
  "origin=Debian,codename=bookworm,label=Debian"; // bookworm as it is
  "origin=Debian,codename=bookworm-security";
  /* not
     bookworm */ "site=archive.example";
  # "codename=bookworm";
};
APT::Default-Release "bookworm";
Mail "bookwormery@harbour.example";
"""


def test_settings_that_name_the_present_release_are_told_by_line():
    found = list(settings_naming("bookworm", [("/etc/apt/apt.conf.d/50u", NAMES)]))
    assert [one.where.rpartition(":")[2] for one in found] == ["3", "4"]
    assert "codename=bookworm,label" in found[0].text
    assert list(settings_naming("", [("/x", NAMES)])) == []


def test_indices_of_a_source_on_the_tree_itself_are_read_inside_it(tmp_path):
    """apt keeps a link for them, which leads from / (apt-get(8), file:)."""
    for folder in ("srv/own", "var/lib/apt/lists", "var/lib/dpkg"):
        (tmp_path / folder).mkdir(parents=True)
    (tmp_path / "srv/own/Packages").write_text(
        "Package: own\nVersion: 2\nArchitecture: amd64\nFilename: own.deb\n\n"
    )
    (tmp_path / "var/lib/apt/lists/_srv_own_Packages").symlink_to("/srv/own/Packages")
    status = "Package: own\nStatus: install ok installed\nVersion: 1\nArchitecture: amd64\n"
    (tmp_path / "var/lib/dpkg/status").write_text(status)
    universe = universe_of(
        TreeMachine("tree", tmp_path), "/var/lib/apt/lists", "/var/lib/dpkg/status"
    )
    assert [one.version for one in universe.archive.candidates("own")] == ["2"]


@pytest.mark.parametrize(
    ("text", "taken"),
    [("", True), ('APT::Install-Recommends "0";', False), ('APT::Install-Recommends "on";', True)],
)
def test_what_packages_recommend_comes_unless_somebody_said_otherwise(tmp_path, text, taken):
    (tmp_path / "etc/apt/apt.conf.d").mkdir(parents=True)
    (tmp_path / "etc/apt/apt.conf.d/99ours").write_text(text)
    (tmp_path / "var/lib/dpkg").mkdir(parents=True)
    (tmp_path / "var/lib/dpkg/status").write_text("Package: a\nStatus: install ok installed\n")
    machine = TreeMachine("tree", tmp_path)
    universe = universe_of(machine, "/var/lib/apt/lists", "/var/lib/dpkg/status")
    assert universe.takes_recommended is taken
