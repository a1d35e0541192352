"""A return needs the snapshot and the tree: whatever else is damaged or gone, it works."""

import json
import shutil

import pytest

from brave_bridge.cli.running import run as run_words
from brave_bridge.core.proof.checks import COMMAND, OwnCheck
from brave_bridge.machines.tree import open_tree
from brave_bridge.runner.briefs import ReturnBrief
from brave_bridge.workbench.beginning import completed
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept.own_checks import forget_check, set_check
from tests.support.runs import carry_out, take_snapshot
from tests.support.trees import TRIAL

NOISE = b"\x00not what was written" * 400


def lose_release(root, _):
    for name in ("etc/os-release", "usr/lib/os-release"):
        if (root / name).is_symlink() or (root / name).exists():
            (root / name).unlink()


def lose_packages(root, _):
    shutil.rmtree(root / "var/lib/dpkg")


def damage(name):
    return lambda _root, state: (state / name).write_bytes(NOISE)


def lose(name):
    return lambda _root, state: (state / name).unlink(missing_ok=True)


LOSSES = {
    "no os-release": lose_release,
    "no package database": lose_packages,
    "damaged logbook": damage("logbook.sqlite"),
    "no logbook": lose("logbook.sqlite"),
    "damaged decisions": damage("decisions.json"),
    "damaged choices": damage("snapshots.toml"),
    "damaged plan": damage("plan.json"),
    "damaged open leg": damage("open-leg.json"),
    "damaged keeping": damage("snapshots/kept/keeping.toml"),
    "no record of the disk": lose("recovery-card.json"),
}


@pytest.fixture
def machine(stand_in, monkeypatch, tmp_path, capsys):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "person"))
    desk = stand_in("petrel")
    desk.machine.files.write("/etc/quay.conf", b"before")
    desk.snapshots.take("kept", TRIAL)
    desk.logbook().close()
    desk.forget_logbook()
    monkeypatch.setattr(
        "brave_bridge.workbench.beginning.launch.start_runner",
        lambda words, name, state, runtime=None, ready=None: carry_out(
            desk.machine.root, "petrel", name
        ),
    )
    monkeypatch.setattr("brave_bridge.cli.application.Desk", lambda target: desk)
    # A runner that is loaded beside would open the demo's own machine.
    monkeypatch.setattr("brave_bridge.cli.application.can_be_copied", lambda: False)

    def run(*words):
        desk.forget_logbook()
        capsys.readouterr()
        code = run_words(["--demo", "petrel", *words])
        seen = capsys.readouterr()
        assert "Traceback" not in seen.err
        return code, seen.out + seen.err

    return desk, run


@pytest.mark.parametrize("loss", LOSSES)
def test_ways_back_card_put_back_and_return_work_whatever_is_lost(machine, loss, tmp_path):
    desk, run = machine
    root = desk.machine.root
    LOSSES[loss](root, desk.machine.state.folder)
    desk.machine.files.write("/etc/quay.conf", b"after")
    code, words = run("ways-back")
    assert code == 0 and "kept" in words, words
    code, words = run("put-back", "kept", "/etc/quay.conf", "--yes")
    assert code == 0 and desk.machine.files.read("/etc/quay.conf", 99) == b"before", words
    desk.machine.files.write("/etc/quay.conf", b"after")
    code, words = run("card", "--text")
    assert code == 0 and "return" in words, words
    code, words = run("return", "kept", "--preview")
    assert code == 0 and "Comes back" in words, words
    code, words = run("return", "kept", "--yes")
    assert code == 0, words
    assert desk.machine.files.read("/etc/quay.conf", 99) == b"before"
    assert desk.survey().release.key == "5.3" and len(desk.facts().installed) > 10
    if loss == "damaged logbook":
        assert (
            next(desk.machine.state.folder.glob("logbook.sqlite.damaged-*")).read_bytes() == NOISE
        )
        newest = json.loads(run("logbook", "--json")[1])["procedures"][0]
        assert newest["procedure"] == "return"


def test_everything_lost_at_once(machine):
    desk, run = machine
    desk.machine.files.write("/etc/quay.conf", b"after")
    for loss in LOSSES.values():
        loss(desk.machine.root, desk.machine.state.folder)
    assert run("ways-back")[0] == 0
    code, words = run("return", "kept", "--yes")
    assert code == 0, words
    assert desk.machine.files.read("/etc/quay.conf", 99) == b"before"


def test_a_tree_without_its_release_file_is_opened_for_its_ways_back(machine):
    desk, _ = machine
    lose_release(desk.machine.root, desk.machine.state.folder)
    assert open_tree(desk.machine.root).root == desk.machine.root


def test_a_damaged_file_is_left_out_with_where_else_it_is(machine):
    desk, run = machine
    desk.snapshots.take("later", TRIAL)
    desk.machine.files.write("/etc/quay.conf", b"after")
    desk.machine.files.write("/etc/hostname", b"changed")
    place = desk.snapshots.folder / "kept/root/tree/etc/quay.conf"
    content = place.read_bytes()
    place.unlink()
    place.write_bytes(content[::-1])
    code, words = run("verify", "kept")
    assert code == 1 and "/etc/quay.conf" in words
    code, words = run("return", "kept", "--yes")
    assert code == 1 and "--skip-damaged" in words
    assert desk.machine.files.read("/etc/hostname", 99) == b"changed", "nothing was done"
    code, words = run("put-back", "kept", "/etc/hostname", "--yes")
    assert code == 0, words
    desk.machine.files.write("/etc/hostname", b"changed")
    code, words = run("return", "kept", "--yes", "--skip-damaged")
    assert code == 0, words
    assert desk.machine.files.read("/etc/hostname", 99) == b"petrel\n"
    assert desk.machine.files.read("/etc/quay.conf", 99) == b"after"
    assert "/etc/quay.conf could not come back" in words and "put-back later" in words


def test_checks_of_a_person_keep_no_return_from_beginning(stand_in, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    desk = stand_in("petrel")
    set_check(desk.target.kind, OwnCheck(name="tides", kind=COMMAND, target=("true",)))
    try:
        way_back = take_snapshot(desk, "before").id
        desk.machine.files.write("/var/lib/dpkg/status", b"\0 rubbish")
        brief = completed(Desk(desk.target, desk.machine), ReturnBrief("deb", way_back, "damaged"))
        assert brief.around.checks == () and brief.baseline is None
    finally:
        forget_check(desk.target.kind, "tides")
