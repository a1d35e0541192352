"""Families are found by entry point: one from outside crosses, from survey to proof."""

import msgspec
import pytest

from brave_bridge.families.registry import NONE, all_families, family_named, survey
from brave_bridge.machines.tree import TreeMachine
from tests.support.made_up_family import barge, installed


@pytest.fixture
def outside(tmp_path, monkeypatch):
    """A package that brings a family."""
    with installed(tmp_path, monkeypatch):
        yield


def test_one_from_outside_is_found_told_and_read(outside, tmp_path):
    family = family_named("hold")
    assert family.name == "hold" and family.can_cross and family.commands is None
    facts = survey(TreeMachine("barge", barge(tmp_path / "root")), "")
    assert {package.name: package.version for package in facts.packages} == {
        "anchor": "1",
        "rope": "1",
    }
    assert facts.where("packages") == "/var/lib/hold/ledger"


def test_ours_are_entry_points_like_any_other(outside):
    names = [family.name for family in all_families()]
    assert names == ["deb", "rpm", "alpm", "image", "licensed", "hold"]
    assert [family.name for family in all_families() if family.can_cross] == [
        "deb",
        "image",
        "licensed",
        "hold",
    ]


def test_a_family_that_nobody_brings_is_able_to_do_nothing(tmp_path):
    assert family_named("unheard-of") is NONE
    assert not NONE.can_cross and NONE.manager.refresh == () and msgspec.json.encode(NONE.manager)
