"""Large trees are removed by many hands, with nothing outside touched."""

import os
import random

import pytest

from brave_bridge.snapshots.jobs import crew
from brave_bridge.snapshots.jobs.calling import called
from brave_bridge.snapshots.jobs.large_removal import remove_large_tree
from brave_bridge.snapshots.trees.describing import IMMUTABLE
from brave_bridge.snapshots.trees.dressing import set_flags
from tests.support.trees import IS_ROOT, helper_that_dies


def _grown(tmp_path):
    chance = random.Random(5)
    folders = [tmp_path / "goes"]
    folders[0].mkdir()
    for number in range(200):
        folder = chance.choice(folders) / f"part \udcff{number}"
        folder.mkdir()
        (folder / "new\nline").write_text("x")
        (folder / "away").symlink_to(tmp_path / "stays")
        folders.append(folder)
    if IS_ROOT:
        descriptor = os.open(folders[-1] / "new\nline", os.O_RDONLY)
        set_flags(descriptor, IMMUTABLE)
        os.close(descriptor)
    (tmp_path / "stays").mkdir()
    (tmp_path / "stays/file").write_text("kept")


@pytest.mark.parametrize("call", [called, helper_that_dies])
def test_all_goes_and_nothing_beside_it(tmp_path, monkeypatch, call):
    _grown(tmp_path)
    monkeypatch.setattr(crew, "ALONE_SECONDS", 0.0)
    monkeypatch.setattr(crew, "called", call)
    remove_large_tree("goes", tmp_path)
    assert [path.name for path in tmp_path.iterdir()] == ["stays"]
    assert (tmp_path / "stays/file").read_text() == "kept"


def test_a_link_goes_without_what_it_leads_to(tmp_path):
    (tmp_path / "stays").mkdir()
    (tmp_path / "stays/file").write_text("kept")
    (tmp_path / "goes").symlink_to("stays")
    remove_large_tree("goes", tmp_path)
    remove_large_tree("was-never-there", tmp_path)
    assert [path.name for path in tmp_path.iterdir()] == ["stays"]
    assert (tmp_path / "stays/file").read_text() == "kept"
