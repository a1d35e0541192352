"""The planner over rpm and alpm universes, held against dnf and pacman."""

import shutil

import pytest

from brave_bridge.core.formats.packages.alpm_package import alpm_package, came_with_others
from brave_bridge.core.formats.packages.repodata import BadRepodata, read_repodata
from brave_bridge.core.formats.packages.rpm_header import read_installed
from brave_bridge.core.packages.package_version import Installed
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.planning.checker import Meaning, faults_of_plan
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.core.planning.universe import FixedArchive, Universe
from tests.support.fictional import DriftlineWorld, FathomWorld

KERNELS = frozenset({"kernel"})


def missing(*tools: str) -> str:
    lacking = [tool for tool in tools if shutil.which(tool) is None]
    return f"missing tools: {', '.join(lacking)}" if lacking else ""


_DNF, _PACMAN = missing("dnf", "rpmbuild", "createrepo_c"), missing("pacman")


@pytest.fixture(scope="module")
def fathom(tmp_path_factory):
    return FathomWorld(tmp_path_factory.mktemp("fathom"))


def fathom_universe(world: FathomWorld) -> Universe:
    installed = [
        Installed(package=package) for package in read_installed(world.database(), KERNELS)
    ]
    offered = read_repodata(world.primary("2"), "two", KERNELS)
    return Universe(
        installed, FixedArchive(offered), by_architecture=False, versionless_provides=True
    )


def ours(plan) -> dict[str, set[str]]:
    before = {slot: one.package for slot, one in plan.before.items()}
    coming = [v for slot, v in plan.after.items() if before.get(slot) is not v]
    going = [v for slot, v in before.items() if plan.after.get(slot) is not v]
    return {"in": {v.title for v in coming}, "out": {v.title for v in going}}


@pytest.mark.skipif(bool(_DNF), reason=_DNF)
def test_the_same_as_dnf(fathom):
    plan = plan_packages(fathom_universe(fathom))
    assert faults_of_plan(plan, Meaning(by_architecture=False, versionless_provides=True)) == []
    assert ours(plan) == fathom.dnf_says()
    assert "outsider 1.0-1" in ours(plan)["out"] and "kernel 5.1-1" not in ours(plan)["out"]


@pytest.mark.skipif(bool(_DNF), reason=_DNF)
def test_the_same_as_dnf_where_something_must_not_change(fathom):
    universe = fathom_universe(fathom)
    slot = next(slot for slot in universe.installed if slot.startswith("editor."))
    plan = plan_packages(universe, Preferences(exclude=frozenset({slot})))
    assert ours(plan) == fathom.dnf_says("editor")


@pytest.mark.skipif(bool(_DNF), reason=_DNF)
def test_repodata_that_is_none_is_refused(fathom):
    text = fathom.primary("2")
    for bad in (
        text[: len(text) // 2],
        b"<nothing",
        text.replace(b"?>", b'?><!DOCTYPE x [<!ENTITY a "b">]>', 1),
    ):
        with pytest.raises(BadRepodata):
            read_repodata(bad, "two", KERNELS)


@pytest.mark.skipif(bool(_PACMAN), reason=_PACMAN)
def test_the_same_as_pacman(tmp_path):
    world = DriftlineWorld(tmp_path)
    installed = [
        Installed(package=alpm_package(text), by_hand=not came_with_others(text))
        for text in world.local_descs()
    ]
    present = {one.package.name: one.package for one in installed}
    offered = [alpm_package(text, "tide") for text in world.sync_descs("2")]
    newer = [v for v in offered if v.name not in present or v.key > present[v.name].key]
    universe = Universe(installed, FixedArchive(newer), by_architecture=False)
    plan = plan_packages(universe)
    assert faults_of_plan(plan, Meaning(by_architecture=False)) == []
    assert ours(plan)["in"] == world.pacman_says()
    assert "oldplot 1.0-1" in ours(plan)["out"]
