"""Catalogue files of the administrator's own: checked, told, and left out where they are wrong."""

import json

import pytest

from brave_bridge.cli.running import run as run_words
from brave_bridge.workbench import lines
from tests.core.test_catalogue_files import GOOD


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    place = tmp_path / "brave-bridge/releases"
    place.mkdir(parents=True)
    lines.all_lines.cache_clear()
    yield place
    lines.all_lines.cache_clear()


def test_a_wrong_file_is_left_out_and_everything_else_works(folder, stand_in, capsys):
    (folder / "lagoon.toml").write_text(GOOD)
    (folder / "quayside.toml").write_text('id = "quayside"\nname = [')
    assert {"lagoon", "quayside"} <= {line.id for line in lines.all_lines()}
    assert len(next(x for x in lines.all_lines() if x.id == "quayside").releases) > 3
    surveyed = stand_in("petrel").survey()
    told = [f for f in surveyed.findings if f.id == "damaged-state"]
    assert "quayside.toml:2" in told[0].title and surveyed.release.key == "5.3"
    capsys.readouterr()
    assert run_words(["releases", "check"]) == 1
    words = capsys.readouterr().out
    assert "● " in words and "Lagoon, 2 releases, 1 legs" in words and "quayside.toml:2" in words
    assert run_words(["releases", "check", str(folder / "lagoon.toml"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["files"][0]["line"] == "lagoon"
