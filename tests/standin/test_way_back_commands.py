"""The commands of ways back, on a stand-in, each in words and as JSON."""

import json

import pytest

from brave_bridge.cli.running import run as run_words
from brave_bridge.workbench import demo


@pytest.fixture
def run(demo_world, tmp_path, monkeypatch, capsys):
    """Runs a command on a copy of petrel with its ways back; its code and output."""
    import shutil

    state = tmp_path / "state/brave-bridge"
    shutil.copytree(demo_world, state / "demo", symlinks=True)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    assert demo.demo_folder() == state / "demo"

    def command(*words: str):
        capsys.readouterr()
        code = run_words(["--demo", "petrel", *words])
        seen = capsys.readouterr()
        if "--json" in words:
            return code, json.loads(seen.out or seen.err)
        return code, seen.out + seen.err

    return command


def ids(run) -> dict[str, str]:
    """The demo's ways back by what makes them special."""
    found = {}
    for way in run("ways-back", "--json")[1]["ways_back"]:
        name = "damaged" if not way["whole"] else "pinned" if way["pinned"] else way["reason"]
        found[name] = way["id"]
    return found


def test_a_snapshot_from_taking_it_to_letting_it_go(run):
    code, taken = run("snapshot", "--reason", "before the boat", "--json")
    assert code == 0 and taken["reason"] == "before the boat" and taken["kernel"] == "5.19.0-4"
    later = run("snapshot", "--json")[1]
    assert later["bytes_shared"] > later["bytes_alone"] and later["reason"] == "by hand"
    code, found = run("verify", taken["id"], "--json")
    assert code == 0 and found["whole"] and found["entries"] == taken["covers"]["entries"]
    assert run("pin", taken["id"], "--reason", "the boat")[0] == 0
    code, words = run("delete", taken["id"], "--yes")
    assert code == 1 and "it is pinned" in words
    run("unpin", taken["id"])
    code, words = run("deadline", taken["id"], "+14")
    assert code == 0 and "ends 20" in words
    for day in ("2020-01-01", "soon"):
        code, words = run("deadline", taken["id"], day)
        assert code == 1 and ("past" in words or "no day" in words)
    code, words = run("delete", taken["id"], "--yes")
    assert code == 0 and "are free again" in words
    code, words = run("return", taken["id"], "--preview")
    assert code == 1 and "it ended" in words and "deleted by hand" in words
    kinds = [p["procedure"] for p in run("logbook", "--json")[1]["procedures"]]
    assert kinds == ["delete", "deadline", "unpin", "pin", "snapshot", "snapshot"]


@pytest.mark.parametrize("words", [("snapshot",), ("snapshot", "--json")])
def test_a_snapshot_that_was_not_taken_is_no_success(run, words, tmp_path):
    disk = tmp_path / "disk"
    disk.mkdir()
    assert run("keep", "--in", str(disk))[0] == 0
    disk.rmdir()
    before = ids(run)
    code, told = run(*words)
    assert code == 1 and "the disk for snapshots is not here" in str(told)
    assert ids(run) == before


def test_only_what_is_done_ends_with_nought():
    from brave_bridge.cli.application import code_of
    from brave_bridge.core.crossing.results import Outcome
    from brave_bridge.store.rows import ProcedureRow

    def code(state: str, outcome: Outcome | None = None) -> int:
        return code_of(ProcedureRow("p", "crossing", "", b"", state, "", "", outcome, False, False))

    assert code("running") == code("resting") == 4
    assert code("failed") == code("stopped") == 3
    assert code("done", Outcome(state="done")) == 0
    assert code("stopped", Outcome(state="stopped")) == 1
    assert code("stopped", Outcome(state="stopped", legs_done=1)) == 3


def test_what_is_damaged_is_told_and_refused(run):
    known = ids(run)
    code, words = run("return", known["damaged"], "--yes")
    assert code == 1 and "initrd" in words and "use another one" in words
    code, found = run("verify", known["damaged"], "--json")
    assert code == 1 and "not what was taken" in found["faults"][0]


def test_rules_let_go_only_what_they_may(run):
    known = ids(run)
    code, told = run("expire", "--dry-run", "--json")
    fate = {row["id"]: row for row in told["ways_back"]}
    assert code == 0 and not fate[known["pinned"]]["goes"]
    assert fate[known["before the new gauge agent"]]["why"].startswith("its deadline was")
    assert run("keep", "--newest", "1", "--days", "3", "--json")[1]["retention"]["keep"] == 1
    code, told = run("expire", "--json")
    stays = [row["id"] for row in told["ways_back"] if not row["goes"]]
    assert stays == [known["pinned"], known["damaged"], known["by hand"]]
    assert list(ids(run).values()) == stays


def test_comparing_looking_into_and_putting_back(run):
    known = ids(run)
    boat = known["before the supply boat's disks"]
    code, tree = run("compare", boat, "--json")
    paths = {inner["path"] for inner in tree["inner"]}
    assert code == 0 and {"/etc", "/var"} <= paths
    code, words = run("compare", boat, known["by hand"])
    assert code == 0 and "levels.db" in words
    code, words = run("compare", boat, "--file", "/etc/quay-ssh/login.conf")
    assert "+Allow watch" in words
    code, words = run("put-back", boat, "/etc/quay-ssh/login.conf", "--yes")
    assert code == 0 and "is back" in words
    code, words = run("compare", boat, "--file", "/etc/quay-ssh/login.conf")
    assert "The content is the same." in words


def test_cover_keep_and_card_say_what_holds(run, tmp_path):
    code, told = run("cover", "--json")
    assert code == 0 and told["covered"][0]["engine"] == "copy" and told["covered"][0]["why"]
    run("cover", "--leave-out", "/srv/tides", "--reason", "fetched every night")
    code, words = run("cover")
    assert "/srv/tides: fetched every night" in words and "Home folders" in words
    code, words = run("keep")
    assert "the 3 newest stay" in words
    code, words = run("card", "--folder", str(tmp_path), "--paper", "letter")
    made = [line for line in words.splitlines() if line]
    assert code == 0 and [path.rpartition(".")[2] for path in made] == [
        "svg",
        "pdf",
        "txt",
        f"{tmp_path}/brave-bridge-rescue",
    ]
    assert "brave-bridge --tree /mnt return" in run("card", "--text")[1]
    code, words = run("card", "--paper", "a5", "--folder", str(tmp_path))
    assert code == 1 and "a4, letter" in words


def test_a_return_keeps_its_reason_and_a_field_note(run):
    known = ids(run)
    code, done = run(
        "return", known["pinned"], "--yes", "--reason", "the gauge is deaf", "--note", "--json"
    )
    assert code == 0 and done["state"] == "done"
    assert run("survey", "--json")[1]["release"]["version"] == "5.2"
    notes = run("note", "list", "--json")[1]["notes"]
    assert any("went back: the gauge is deaf" in note["text"] for note in notes)
