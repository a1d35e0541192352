"""Release lines and routes over supported legs only."""

from datetime import date

import pytest

from brave_bridge.core.releases.route import default_target, find_route
from brave_bridge.core.survey.facts import Identity
from brave_bridge.workbench.lines import all_lines, line_of, release_of

TODAY = date(2026, 11, 25)


def line(identifier):
    return next(line for line in all_lines() if line.id == identifier)


def route(identifier, here, there):
    of = line(identifier)
    return find_route(of, of.release(here), of.release(there), TODAY)


@pytest.mark.parametrize(
    ("identifier", "here", "there", "stops"),
    [
        ("debian", "bullseye", "trixie", ["bookworm", "trixie"]),
        ("debian", "buster", "13", ["bullseye", "bookworm", "trixie"]),
        ("quayside", "5.1", "5.3", ["5.2", "5.3"]),
        ("quayside", "5.3", "7", ["7"]),
        ("quayside", "5.1", "englefield", ["5.2", "5.3", "7", "8"]),
        ("fathom", "11", "14", ["13", "14"]),
    ],
)
def test_supported_routes(identifier, here, there, stops):
    assert [leg.end.key for leg in route(identifier, here, there).legs] == stops


def test_the_direct_jump_is_refused_with_the_reason():
    found = route("debian", "bullseye", "trixie")
    assert [(r.start, r.end) for r in found.refused] == [("bullseye", "trixie")]
    assert "next release only" in found.refused[0].reason
    assert "by way of 12 bookworm" in found.refused[0].reason


@pytest.mark.parametrize(
    ("here", "there", "word"),
    [("trixie", "bullseye", "older"), ("trixie", "forky", "not out"), ("trixie", "13", "already")],
)
def test_what_has_no_route(here, there, word):
    found = route("debian", here, there)
    assert not found.legs and word in found.refused[0].reason


def test_what_is_offered_first():
    quayside = line("quayside")
    offered = {
        r.key: default_target(quayside, r, TODAY) and default_target(quayside, r, TODAY).key
        for r in quayside.releases
    }
    assert offered == {
        "5.1": "5.2",
        "5.2": "5.3",
        "5.3": "7",
        "6": "7",
        "7": "8",
        "8": None,
        "9": None,
    }


def test_a_leg_renames_what_belongs_to_the_release():
    leg = route("debian", "buster", "bullseye").legs[0]
    suites = leg.renaming().suites
    assert suites("buster") == "bullseye"
    assert suites("buster/updates") == "bullseye-security"
    assert suites("buster-backports") == "bullseye-backports"
    assert suites("busterious") == "busterious"
    assert suites("stable") == "stable"
    to_bookworm = route("debian", "bullseye", "bookworm").legs[0].renaming()
    assert to_bookworm.components(("main", "non-free")) == ("main", "non-free", "non-free-firmware")


def test_systems_are_identified():
    def identity(**values):
        return Identity(
            **{
                "os_id": "",
                "name": "",
                "version_id": "",
                "codename": "",
                "architecture": "amd64",
                **values,
            }
        )

    bullseye = identity(os_id="debian", version_id="11", codename="bullseye")
    assert (line_of(bullseye).id, release_of(bullseye).key) == ("debian", "bullseye")
    point = identity(os_id="quayside", version_id="5.2", codename="bowline")
    assert release_of(point).key == "5.2"
    assert release_of(identity(os_id="debian", codename="sid")) is None
    assert line_of(identity(os_id="elsewhere")) is None


def test_every_catalogue_leg_names_known_releases():
    for of in all_lines():
        for rule in of.legs:
            assert of.release(rule.start) and of.release(rule.end), (of.id, rule)


def test_an_administrator_adds_a_line(tmp_path, monkeypatch):
    folder = tmp_path / "brave-bridge/releases"
    folder.mkdir(parents=True)
    (folder / "own.toml").write_text(
        'id="own"\nname="Own"\nfamily="deb"\nos_ids=["own"]\nrule="in order"\n'
        'releases=[{key="1",version="1",codename="one"}]\n'
    )
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    all_lines.cache_clear()
    try:
        assert "own" in {line.id for line in all_lines()}
    finally:
        all_lines.cache_clear()
