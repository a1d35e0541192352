"""Snapshots by copy: independent of the live tree, shared among themselves, all told."""

import fcntl
import os
import random
import shutil
import subprocess

import msgspec
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.engines import copied
from brave_bridge.snapshots.jobs.compare import CHANGED, FolderComparer
from brave_bridge.snapshots.jobs.comparison import comparison_job
from brave_bridge.snapshots.trees import file_copy
from brave_bridge.snapshots.trees.cover import cover_for
from brave_bridge.snapshots.trees.hashing import hash_of_whole
from tests.support.trees import (
    IS_ROOT,
    TRIAL,
    catalogue_at,
    described,
    differing,
    fill,
    free,
    helper_that_dies,
    machine_at,
    rough,
    wreck,
)


@pytest.fixture(autouse=True)
def _no_flags_left(tmp_path):
    yield
    free(tmp_path)


def test_everything_comes_back(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    before = described(tmp_path)
    taken = snapshots.take("first", TRIAL)
    assert taken.all_of("sockets") == ["/etc/socket"]
    assert not returning.preview(taken, by_content=True).count
    assert not returning.check(taken).faults
    wreck(tmp_path)
    assert returning.preview(taken).count > 10
    returning.restore(taken)
    assert differing(before, described(tmp_path)) == []
    assert not returning.preview(taken, by_content=True).count
    assert (tmp_path / "home/watch/notes").read_text() == "mine"
    assert sorted(os.listdir(tmp_path)) == ["etc", "home", "usr", "var"]


def test_a_content_that_changed_without_a_trace_is_found_where_all_is_read(tmp_path):
    snapshots, _ = catalogue_at(tmp_path)
    fill(tmp_path)
    (tmp_path / "etc/ledger").write_text("as it was")
    snapshots.take("first", TRIAL)
    manifest = snapshots.folder / "first/root/manifest.jsonl"
    was = hash_of_whole(b"as it was")
    assert was in manifest.read_text()
    other = tmp_path.parent / "manifest.jsonl"
    other.write_text(manifest.read_text().replace(was, hash_of_whole(b"as it were")))
    found = {}
    for by_content in (False, True):
        job = comparison_job(tmp_path, cover_for("tree"), manifest.parent, by_content=by_content)
        comparer = FolderComparer(msgspec.structs.replace(job, manifest=str(other)))
        found[by_content] = [(d.path, d.how) for d in comparer.do("etc").differences]
        comparer.end()
    assert found == {False: [], True: [("etc/ledger", CHANGED)]}


def test_the_copy_is_independent_of_the_live_tree(tmp_path):
    snapshots, _ = catalogue_at(tmp_path)
    fill(tmp_path)
    snapshots.take("first", TRIAL)
    copy = snapshots.folder / "first/root/tree"
    live_inodes = {p.lstat().st_ino for p in tmp_path.joinpath("etc").rglob("*")}
    assert not live_inodes & {p.lstat().st_ino for p in copy.rglob("*")}
    with open(tmp_path / "etc/plain", "r+") as stream:
        stream.write("OVERWRITTEN IN PLACE")
    assert (copy / "etc/plain").read_text() == "plain\n"
    assert (copy / "etc/sparse").stat().st_blocks * 512 < 4_000_000
    assert (copy / "etc/plain").stat().st_nlink == 2
    # A folder that is left out is there, empty, so that a bare disk could be filled.
    assert list((copy / "home").iterdir()) == []


def test_a_later_snapshot_shares_what_is_unchanged(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    snapshots.take("a-first", TRIAL)
    os.chmod(tmp_path / "etc/empty", 0o640)
    (tmp_path / "etc/new").write_text("new")
    second = snapshots.take("b-second", TRIAL)
    one, two = (snapshots.folder / name / "root/tree" for name in ("a-first", "b-second"))
    assert (one / "etc/sparse").stat().st_ino == (two / "etc/sparse").stat().st_ino
    assert (one / "etc/empty").stat().st_ino != (two / "etc/empty").stat().st_ino
    assert second.bytes_copied < 10_000
    uses = [kept.use for kept in snapshots.with_uses(snapshots.listed())]
    assert uses[0].alone < uses[0].shared and uses[1].shared > 2_500_000
    # Both are still exactly what they were.
    (tmp_path / "etc/plain").write_text("ruined")
    for snapshot in snapshots.all():
        returning.restore(snapshot)
        assert not returning.preview(snapshot, by_content=True).count
    assert (tmp_path / "etc/new").exists()
    # And the first may go without harm to the second, which then holds all alone.
    freed = snapshots.delete("a-first", "trial").freed
    assert freed < 10_000 and not returning.check(second).faults
    assert snapshots.with_uses(snapshots.listed())[0].use.shared < 10_000


def test_content_that_changed_under_the_same_size_and_time_is_found(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    taken = snapshots.take("first", TRIAL)
    status = (tmp_path / "etc/plain").stat()
    with open(tmp_path / "etc/plain", "r+") as stream:
        stream.write("PLAIN")
    os.utime(tmp_path / "etc/plain", ns=(status.st_atime_ns, status.st_mtime_ns))
    assert [d.path for d in returning.preview(taken).of(CHANGED)] == [
        "etc/plain",
        "usr/second-name",
    ]


def test_files_that_vanish_or_keep_changing_are_told(tmp_path, monkeypatch):
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    (tmp_path / "etc/restless").write_text("begin\n")
    (tmp_path / "etc/zz-gone").write_text("x")
    real_copy = file_copy.copy_content

    def vanishing(real_open):
        def opening(name: str, *rest) -> int:
            if name == "zz-gone":
                (tmp_path / "etc/zz-gone").unlink(missing_ok=True)
            return real_open(name, *rest)

        return opening

    def slow(source, *rest):
        result = real_copy(source, *rest)
        if os.readlink(f"/proc/self/fd/{source}").endswith("/restless"):
            with open(tmp_path / "etc/restless", "a") as stream:
                stream.write("more\n")
        return result

    for name in ("open_to_read", "open_ahead"):
        monkeypatch.setattr(file_copy, name, vanishing(getattr(file_copy, name)))
    monkeypatch.setattr(file_copy, "copy_content", slow)
    taken = snapshots.take("first", TRIAL)
    assert taken.all_of("vanished") == ["/etc/zz-gone"]
    assert taken.all_of("unstable") == ["/etc/restless"]
    monkeypatch.undo()
    # What was caught in the middle is still a file that can be put back and proved.
    assert not returning.check(taken).faults
    returning.restore(taken)
    assert not returning.preview(taken, by_content=True).count


def test_helpers_and_one_process_make_the_same_snapshot(tmp_path, monkeypatch):
    """Many folders, so that helpers are called; hard links across folders keep together."""
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    for number in range(300):
        folder = tmp_path / f"usr/share/{number % 7}/part-{number}"
        folder.mkdir(parents=True)
        (folder / "one").write_text(f"file {number}")
        os.link(folder / "one", folder.parent / f"name-{number}")
    monkeypatch.setattr("brave_bridge.snapshots.jobs.crew.ALONE_SECONDS", 0.0)
    shared = snapshots.take("by-helpers", TRIAL)
    assert not returning.preview(shared, by_content=True).count
    assert not returning.check(shared).faults
    tree = snapshots.folder / "by-helpers/root/tree/usr/share"
    pair = [(tree / "3/part-3/one").stat(), (tree / "3/name-3").stat()]
    assert pair[0].st_ino == pair[1].st_ino and pair[0].st_nlink == 2
    before = described(tmp_path)
    wreck(tmp_path)
    returning.restore(shared)
    assert differing(before, described(tmp_path)) == []
    monkeypatch.setattr("brave_bridge.snapshots.jobs.crew.HELPERS", 0)
    later = snapshots.take("by-one", TRIAL)
    names = [set(snapshots.manifest(s, s.parts[0]).folders) for s in (shared, later)]
    assert names[0] == names[1] and shared.entries == later.entries


def test_a_helper_that_dies_is_no_snapshot(tmp_path, monkeypatch):
    snapshots, _ = catalogue_at(tmp_path)
    for number in range(40):
        (tmp_path / f"usr/{number}").mkdir()
    monkeypatch.setattr("brave_bridge.snapshots.jobs.crew.ALONE_SECONDS", 0.0)
    monkeypatch.setattr("brave_bridge.snapshots.jobs.crew.called", helper_that_dies)
    with pytest.raises(MachineError, match=r"helper|Broken pipe"):
        snapshots.take("first", TRIAL)
    assert snapshots.listed() == []
    assert [p.name for p in snapshots.folder.iterdir() if p.is_dir()] == []


@pytest.mark.skipif(not IS_ROOT, reason="mounting a small file system needs root")
@pytest.mark.parametrize("megabytes", [4, 6, 7, 9])
def test_a_full_disk_during_a_snapshot_leaves_nothing_behind(tmp_path, monkeypatch, megabytes):
    mount = tmp_path / "small"
    mount.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={megabytes}m", "none", mount], check=True)
    try:
        machine = machine_at(mount)
        for number in range(20):
            (mount / f"etc/large-{number}").write_bytes(os.urandom(170_000))
        snapshots = Snapshots(machine, "1")
        if megabytes < 7:
            with pytest.raises(MachineError, match="no room"):
                snapshots.take("first", TRIAL)
        # The same, met in the middle of the copy instead of ahead of it.
        monkeypatch.setattr(copied, "_check_room", lambda *words: None)
        try:
            snapshots.take("second", TRIAL)
            assert megabytes > 6
        except MachineError as error:
            assert "No space left" in error.seen
            assert snapshots.listed() == []
            assert [p.name for p in snapshots.folder.iterdir() if p.is_dir()] == []
        assert (mount / "etc/large-3").stat().st_size == 170_000
    finally:
        subprocess.run(["umount", mount], check=True)


def test_a_store_on_another_disk_is_used_and_missed_when_it_is_away(tmp_path):
    root, disk = tmp_path / "root", tmp_path / "disk"
    disk.mkdir(mode=0o700)
    root.mkdir()
    snapshots, returning = catalogue_at(root)
    fill(root)
    from brave_bridge.snapshots.choices import CHOICES, Choices

    inside = root / "var/backups"
    inside.mkdir()
    CHOICES.change(snapshots.machine.state, lambda _: Choices(keep_in=str(inside)))
    with pytest.raises(MachineError, match="part of what the snapshot covers"):
        snapshots.take("inside", TRIAL)
    CHOICES.change(snapshots.machine.state, lambda _: Choices(keep_in=str(disk)))
    taken = snapshots.take("first", TRIAL)
    assert (disk / "first/root/tree/etc/plain").exists()
    assert (disk / "first/description.toml").exists()
    second = snapshots.take("second", TRIAL)
    assert second.bytes_copied == 0
    before = described(root)
    wreck(root)
    returning.restore(taken)
    assert differing(before, described(root)) == []
    disk.rename(tmp_path / "away")
    kept = snapshots.kept("first")
    assert "is not here" in kept.fault and snapshots.all() == []
    free(root)


def test_only_one_snapshot_is_taken_at_a_time(tmp_path):
    snapshots, _ = catalogue_at(tmp_path)
    snapshots.take("first", TRIAL)
    with open(snapshots.folder / "taking.lock") as other:
        fcntl.flock(other, fcntl.LOCK_EX)
        with pytest.raises(MachineError, match="another snapshot is being taken"):
            snapshots.take("second", TRIAL)
    assert snapshots.take("second", TRIAL).id == "second"


def test_rules_decide_what_is_covered(tmp_path):
    from brave_bridge.snapshots.choices import CHOICES, Choices
    from brave_bridge.snapshots.trees.cover import Exclusion, MountRule

    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    (tmp_path / "var/lib/tiles").mkdir()
    (tmp_path / "var/lib/tiles/one").write_text("rebuilt every night")
    wanted = Choices(
        leave_out=(Exclusion("/var/lib/tiles", "rebuilt every night"),),
        take_in=(MountRule("home", "the watch keeps settings there"),),
    )
    CHOICES.change(snapshots.machine.state, lambda _: wanted)
    taken = snapshots.take("first", TRIAL)
    assert "/var/lib/tiles: rebuilt every night" in taken.left_out
    (tmp_path / "var/lib/tiles/two").write_text("new")
    (tmp_path / "home/watch/notes").write_text("changed")
    # What a snapshot covers is what it covered then, whatever the rules are now.
    CHOICES.change(snapshots.machine.state, lambda _: Choices())
    returning.restore(taken)
    assert (tmp_path / "var/lib/tiles/two").exists()
    assert (tmp_path / "home/watch/notes").read_text() == "mine"


def test_one_path_is_put_back_and_the_rest_stays(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    before = described(tmp_path)
    taken = snapshots.take("first", TRIAL)
    wreck(tmp_path)
    changed = described(tmp_path)
    returning.restore_path(taken, "/etc/plain")
    returning.restore_path(taken, "/usr/bin")
    after = described(tmp_path)
    assert after[b"etc/plain"][:6] == before[b"etc/plain"][:6]
    assert after[b"usr/bin/setid"] == before[b"usr/bin/setid"]
    moved = {b"etc/plain", b"usr/bin", b"usr", b"usr/bin/setid", b"usr/bin/capable"}
    assert set(differing(changed, after)) <= moved
    with pytest.raises(MachineError, match="has no /etc/nothing"):
        returning.restore_path(taken, "/etc/nothing")


def test_a_file_is_read_as_it_was(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    fill(tmp_path)
    taken = snapshots.take("first", TRIAL)
    wreck(tmp_path)
    assert returning.read_file(taken, "/etc/plain", 100) == b"plain\n"
    names = {path.removeprefix("etc/") for path in returning.entries(taken)}
    assert {"plain", "pipe", "sparse"} <= names
    with pytest.raises(MachineError, match="longer than 3"):
        returning.read_file(taken, "/etc/plain", 3)
    with pytest.raises(MachineError):
        returning.read_file(taken, "/etc/link", 100)


@settings(max_examples=15, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.integers(0, 1 << 32))
def test_any_tree_comes_back_from_any_change(tmp_path_factory, seed):
    root = tmp_path_factory.mktemp("any")
    chance = random.Random(seed)
    snapshots, returning = catalogue_at(root)
    rough(root, chance, 25)
    before = described(root)
    taken = snapshots.take("first", TRIAL)
    rough(root, chance, 25)
    returning.restore(taken)
    assert differing(before, described(root)) == []
    assert not returning.preview(taken, by_content=True).count
    shutil.rmtree(root)
