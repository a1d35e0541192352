"""Families are found by entry point: one from outside is told by its database and surveyed."""

import sys
import textwrap

import msgspec
import pytest

from brave_bridge.families import registry
from brave_bridge.families.registry import NONE, all_families, family_named, survey
from brave_bridge.machines.tree import TreeMachine

MODULE = """
import msgspec
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.family import Family
from brave_bridge.machines.wishes import Contents

LEDGER = "/var/lib/hold/ledger"

class Reading:
    wishes = (Contents((LEDGER,)),)

    def begin(self, machine, seen):
        return [line.split() for line in (seen.text(LEDGER) or "").splitlines()]

    def further(self, known):
        return ()

    def facts(self, machine, seen, known, basic):
        packages = tuple(
            InstalledPackage(
                name=name, version=version, architecture="any", want="install",
                state="installed", fault="ok", essential=False, priority="", section="",
                installed_kib=0, conffiles={},
            )
            for name, version in known
        )
        told = Evidence("packages", LEDGER, f"{len(packages)} crates")
        return msgspec.structs.replace(
            basic, packages=packages, evidence=(*basic.evidence, told)
        )

    def for_records(self, facts):
        return facts

class Hold(Family):
    name = "hold"
    databases = (LEDGER,)
    manager = PackageManager(name="stow", tools=("stow",))
    reading = property(lambda self: Reading())

FAMILY = Hold()
"""


@pytest.fixture
def outside(tmp_path, monkeypatch):
    """A package that brings a family, as pip would have installed it."""
    site = tmp_path / "site"
    (site / "hold_family-1.0.dist-info").mkdir(parents=True)
    (site / "hold_family.py").write_text(textwrap.dedent(MODULE))
    (site / "hold_family-1.0.dist-info/METADATA").write_text("Name: hold-family\nVersion: 1.0\n")
    (site / "hold_family-1.0.dist-info/entry_points.txt").write_text(
        "[brave_bridge.families]\nhold = hold_family:FAMILY\n"
    )
    monkeypatch.syspath_prepend(str(site))
    registry.family_named.cache_clear()
    yield
    registry.family_named.cache_clear()
    sys.modules.pop("hold_family", None)


def test_one_from_outside_is_found_told_and_read(outside, tmp_path):
    root = tmp_path / "root"
    (root / "etc").mkdir(parents=True)
    (root / "etc/os-release").write_text("ID=barge\nVERSION_ID=1\n")
    (root / "var/lib/hold").mkdir(parents=True)
    (root / "var/lib/hold/ledger").write_text("anchor 3\nrope 12\n")
    family = family_named("hold")
    assert family.name == "hold" and not family.can_cross and family.commands is None
    facts = survey(TreeMachine("barge", root), "")
    assert {package.name: package.version for package in facts.packages} == {
        "anchor": "3", "rope": "12"
    }  # fmt: skip
    assert facts.where("packages") == "/var/lib/hold/ledger"


def test_ours_are_entry_points_like_any_other(outside):
    names = [family.name for family in all_families()]
    assert names == ["deb", "rpm", "alpm", "hold"]
    assert [family.name for family in all_families() if family.can_cross] == ["deb"]


def test_a_family_that_nobody_brings_is_able_to_do_nothing(tmp_path):
    assert family_named("unheard-of") is NONE
    assert not NONE.can_cross and NONE.manager.refresh == () and msgspec.json.encode(NONE.manager)
