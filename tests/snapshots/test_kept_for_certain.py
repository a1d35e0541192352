"""Ways back end only where they are understood: nothing damaged, foreign or unplugged goes."""

import os
import shutil

import msgspec
import pytest

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.runner.expiry import expire
from brave_bridge.snapshots.choices import CHOICES, Choices
from brave_bridge.snapshots.description import Keeping
from brave_bridge.snapshots.taking import remove_leftovers
from tests.support.trees import IS_ROOT, TRIAL, catalogue_at

NOW = "2026-11-28T12:00:00+00:00"


@pytest.fixture
def catalogue(tmp_path):
    snapshots, returning = catalogue_at(tmp_path / "root")
    (tmp_path / "root/etc/plain").write_text("plain\n")
    for number in range(1, 6):
        snapshots.now = lambda number=number: f"2026-11-0{number}T00:00:00+00:00"
        snapshots.take(f"taken-{number}", TRIAL)
    return snapshots, returning


def ids(snapshots) -> list[str]:
    return [kept.snapshot.id for kept in snapshots.listed()]


def test_three_of_five_stay(catalogue):
    snapshots, _ = catalogue
    went, _ = expire(snapshots.machine, snapshots, NOW)
    assert [gone.id for gone in went] == ["taken-1", "taken-2"]


@pytest.mark.parametrize("damage", ["description", "verified", "writable", "keeping"])
def test_what_is_damaged_never_ends_by_itself(catalogue, damage):
    snapshots, returning = catalogue
    for name in ("taken-1", "taken-5"):
        folder = snapshots.folder / name
        if damage == "description":
            (folder / "description.toml").write_bytes(b"\xff" + os.urandom(40))
        elif damage == "verified":
            (folder / "root/tree/etc/plain").write_text("other\n")
            assert returning.check(snapshots.find(name)).faults
        elif damage == "writable":
            if not IS_ROOT:
                pytest.skip("only root's folders are held against this")
            folder.chmod(0o770)
        else:
            (folder / "keeping.toml").write_text("pinned = tr")
    went, stays = expire(snapshots.machine, snapshots, NOW)
    assert not went
    why = {fate.id: fate.why for fate in stays}
    assert all("a person decides" in why[name] for name in ("taken-1", "taken-5"))
    assert set(ids(snapshots)) == {f"taken-{n}" for n in range(1, 6)}


def test_a_decision_that_cannot_be_read_is_set_aside_when_another_is_made(catalogue):
    snapshots, _ = catalogue
    folder = snapshots.folder / "taken-2"
    (folder / "keeping.toml").write_text("pinned = tr")
    snapshots.keep("taken-2", Keeping(pinned=True))
    assert next(folder.glob("keeping.toml.damaged-*")).read_text() == "pinned = tr"
    assert snapshots.kept("taken-2").keeping.pinned


def test_a_snapshot_taken_while_the_clock_is_set_back_is_the_newest(catalogue):
    snapshots, _ = catalogue
    snapshots.now = lambda: "1970-01-01T00:00:09+00:00"
    snapshots.take("late", TRIAL)
    went, _ = expire(snapshots.machine, snapshots, "1970-01-01T00:00:10+00:00")
    assert ids(snapshots) == ["taken-4", "taken-5", "late"]
    assert snapshots.find("newest").id == "late" and len(went) == 3


def test_numbers_are_never_used_again(catalogue):
    snapshots, _ = catalogue
    snapshots.delete("taken-5", "trial")
    assert snapshots.take("again", TRIAL).number == 6


def test_a_disk_that_is_unplugged_ends_nothing(tmp_path):
    snapshots, _ = catalogue_at(tmp_path / "root")
    store = tmp_path / "other-disk"
    store.mkdir(mode=0o700)
    CHOICES.change(snapshots.machine.state, lambda _: Choices(keep_in=str(store)))
    for number in range(1, 6):
        snapshots.take(f"taken-{number}", TRIAL)
    store.rename(tmp_path / "unplugged")
    went, stays = expire(snapshots.machine, snapshots, NOW)
    assert not went and all("not here" in fate.why for fate in stays)
    (tmp_path / "unplugged").rename(store)
    assert len(snapshots.all()) == 5


def test_what_another_disk_keeps_is_found_without_the_machine_s_own_record(tmp_path):
    snapshots, _ = catalogue_at(tmp_path / "root")
    store = tmp_path / "other-disk"
    store.mkdir(mode=0o700)
    CHOICES.change(snapshots.machine.state, lambda _: Choices(keep_in=str(store)))
    taken = snapshots.take("taken-1", TRIAL)
    shutil.rmtree(snapshots.folder)
    assert snapshots.find("newest") == taken
    remove_leftovers(Beneath(store), Choices())
    assert snapshots.find("newest") == taken
    snapshots.delete("taken-1", "trial")
    assert [path.name for path in store.iterdir()] == ["brave-bridge-rescue"]


def test_a_folder_that_is_not_ours_is_never_touched(catalogue, tmp_path):
    snapshots, _ = catalogue
    foreign = {"notes": "mine\n", "0-by-hand": "mine\n"}
    for name, text in foreign.items():
        (snapshots.folder / name).mkdir()
        (snapshots.folder / name / "kept.txt").write_text(text)
    (tmp_path / "outside").mkdir()
    (tmp_path / "outside/making.json").write_text("[]")
    (snapshots.folder / "outside").symlink_to(tmp_path / "outside")
    snapshots.take("later", TRIAL)
    expire(snapshots.machine, snapshots, NOW)
    for name, text in foreign.items():
        assert (snapshots.folder / name / "kept.txt").read_text() == text
    assert (tmp_path / "outside/making.json").exists()


def test_what_was_being_made_is_removed(catalogue):
    snapshots, _ = catalogue
    half = snapshots.folder / "half"
    half.mkdir()
    (half / "making.json").write_bytes(msgspec.json.encode([]))
    (half / "root").mkdir()
    snapshots.take("later", TRIAL)
    assert not half.exists()


def test_a_link_within_a_snapshot_is_not_gone_through(catalogue, tmp_path):
    snapshots, _ = catalogue
    tree = snapshots.folder / "taken-3/root/tree"
    tree.rename(tmp_path / "elsewhere")
    tree.symlink_to(tmp_path / "elsewhere")
    kept = snapshots.kept("taken-3")
    assert "a link stands in it" in kept.fault
    snapshots.delete("taken-3", "trial")
    assert (tmp_path / "elsewhere/etc/plain").exists()


def test_what_another_machine_is_keeping_on_the_same_disk_is_left_alone(catalogue, tmp_path):
    snapshots, _ = catalogue
    store = tmp_path / "other-disk"
    store.mkdir(mode=0o700)
    under_way = [store / name for name in ("theirs", ".begun-later", ".going-older")]
    for folder in under_way:
        folder.mkdir()
        (folder / "making.json").write_text("[]")
    CHOICES.change(snapshots.machine.state, lambda _: Choices(keep_in=str(store)))
    snapshots.take("ours", TRIAL)
    snapshots.delete("ours", "trial")
    remove_leftovers(snapshots.own, Choices(keep_in=str(store)))
    assert all((folder / "making.json").is_file() for folder in under_way)


@pytest.mark.parametrize("name", ["cut-off", ".begun-cut-off", ".going-cut-off"])
def test_what_was_cut_off_on_another_disk_is_removed_with_its_own_record(catalogue, tmp_path, name):
    snapshots, _ = catalogue
    store = tmp_path / "other-disk"
    for place in (store, snapshots.folder):
        (place / name).mkdir(parents=True)
        (place / name / "making.json").write_text("[]")
    remove_leftovers(snapshots.own, Choices(keep_in=str(store)))
    assert not (store / name).exists() and not (snapshots.folder / name).exists()
