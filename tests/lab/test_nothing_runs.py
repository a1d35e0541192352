"""A tree in which no command can run is refused before anything is changed."""

import pytest

from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench import beginning
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target
from tests.support import lab


@pytest.mark.parametrize("missing", ["usr/bin/apt-get", "proc"])
def test_what_cannot_run_is_told_before_the_snapshot(bullseye, tmp_path, missing):
    with lab.overlay(bullseye, tmp_path) as tree:
        place = tree / missing
        place.unlink() if place.is_file() else place.rmdir()
        desk = Desk(Target("tree", str(tree)), TreeMachine("heron", tree))
        with pytest.raises(Refused, match="no command runs there") as told:
            beginning.must_run_commands(desk, "deb")
        assert missing.rpartition("/")[2] in told.value.why
        assert not desk.snapshots.all()
