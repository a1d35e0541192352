"""What tests of stand-ins share."""

import shutil

import pytest

from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target


@pytest.fixture
def own_world(demo_world, tmp_path):
    """petrel with archives of its own that a test may damage."""
    shutil.copytree(demo_world / "archives", tmp_path / "archives")
    shutil.copytree(demo_world / "petrel", tmp_path / "petrel", symlinks=True)
    settings = tmp_path / "petrel/var/lib/brave-bridge/stand-in.json"
    settings.write_text(
        settings.read_text().replace(str(demo_world / "archives"), str(tmp_path / "archives"))
    )
    return Desk(Target("demo", "petrel"), StandInMachine("petrel", tmp_path / "petrel")), tmp_path
