"""What all tests share: the demo world, built once, and copies of its machines."""

import os
import shutil
from pathlib import Path

import pytest
from hypothesis import settings

from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.workbench.demo import build_demo
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support.in_memory import room_in_memory


def pytest_configure(config) -> None:
    if place := room_in_memory():
        os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", str(place))
    # Hypothesis and the programs under test must not write into the person's own folders.
    os.environ.setdefault("HYPOTHESIS_STORAGE_DIRECTORY", "/tmp/brave-bridge-hypothesis")
    os.environ["XDG_CACHE_HOME"] = "/var/tmp/brave-bridge-lab/cache"
    # Where a change is judged, every run tries the same examples; elsewhere each tries new ones.
    # How long an example takes says nothing on a machine that has other work.
    settings.register_profile("here", deadline=None)
    settings.register_profile("judged", derandomize=True, deadline=None)
    settings.load_profile("here")
    if os.environ.get("BRAVE_BRIDGE_ALL_TESTS"):
        settings.load_profile("judged")


def pytest_collection_modifyitems(items) -> None:
    # Two work side by side: what takes long begins first, so that neither waits for it at the end.
    items.sort(key=lambda item: item.get_closest_marker("long") is None)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item, call):
    """Where every test has to run, a skipped one is a failed one, with its reason."""
    report = yield
    if report.skipped and os.environ.get("BRAVE_BRIDGE_ALL_TESTS"):
        report.outcome = "failed"
        report.longrepr = f"skipped where every test has to run: {report.longrepr}"
    return report


@pytest.fixture(scope="session")
def demo_world(tmp_path_factory) -> Path:
    """The demo fleet, built once; nobody changes it."""
    folder = tmp_path_factory.mktemp("world") / "demo"
    build_demo(folder, pace=0.0)
    return folder


@pytest.fixture(scope="session")
def runtime(tmp_path_factory) -> Path:
    """The program with a Python of its own, as a folder for a tree; nobody changes it."""
    from brave_bridge.runner.own_runtime import make_runtime

    return make_runtime(tmp_path_factory.mktemp("made") / "runtime")


@pytest.fixture
def stand_in(demo_world, tmp_path):
    """A function that gives the desk of a fresh copy of a demo machine.

    Without the ways back that the demo tells of, unless they are wanted.
    """

    def copy(name: str, *, with_ways_back: bool = False) -> Desk:
        root = tmp_path / name
        shutil.copytree(demo_world / name, root, symlinks=True)
        if not with_ways_back:
            shutil.rmtree(root / "var/lib/brave-bridge/snapshots", ignore_errors=True)
        return Desk(Target("demo", name), StandInMachine(name, root))

    copy.world = demo_world
    return copy
