"""Snapshots by copy and returns: everything about a file comes back, whatever was done to it."""

import os
import signal
import stat
import subprocess
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.snapshots import restore as restore_module
from brave_bridge.snapshots import tree_copy as tree_copy_module
from brave_bridge.snapshots.catalogue import Snapshots, make_state_folder
from brave_bridge.snapshots.cover import STAGING, Cover, Exclusion
from brave_bridge.snapshots.manifest import scan

NOTHING_LEFT_OUT = Cover((Exclusion("var/lib/brave-bridge", "own"), Exclusion("home", "homes")))


def machine_at(root: Path) -> StandInMachine:
    for folder in ("etc", "usr/bin", "home/watch", "var/lib"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    machine = StandInMachine("petrel", root)
    make_state_folder(machine)
    return machine


def fill(root: Path) -> None:
    """One of everything that a system's tree can hold."""
    (root / "etc/plain").write_text("plain\n")
    (root / "etc/empty").touch()
    (root / "etc/narrow").write_text("secret")
    (root / "etc/narrow").chmod(0o600)
    (root / "usr/bin/setid").write_text("#!")
    (root / "usr/bin/setid").chmod(0o4755)
    os.symlink("plain", root / "etc/link")
    os.symlink("nowhere/else", root / "etc/dangling")
    os.link(root / "etc/plain", root / "usr/second-name")
    os.mkfifo(root / "etc/pipe")
    with open(root / "etc/sparse", "wb") as stream:
        stream.truncate(5_000_000)
        stream.seek(3_000_000)
        stream.write(b"island")
    (root / os.fsdecode(b"etc/not-utf8-\xff\xfe")).write_bytes(b"x")
    (root / "etc/new\nline %41").write_text("odd name")
    (root / "home/watch/notes").write_text("mine")
    os.utime(root / "etc/plain", ns=(1, 1_234_567_890_123_456_789))
    os.setxattr(root / "etc/plain", "user.tide", b"\x00high\xff")
    if os.geteuid() == 0:
        os.chown(root / "etc/narrow", 1234, 4321)
        os.mknod(root / "etc/device", 0o600 | stat.S_IFCHR, os.makedev(1, 3))
        os.chown(root / "etc/link", 77, 78, follow_symlinks=False)
    os.utime(root / "etc", ns=(5, 9_876_543_210_000_000_123))


def described(root: Path) -> dict:
    """The tree as ``lstat`` and the contents tell it, without our own manifest code."""
    found = {}
    for parent, folders, files in os.walk(os.fsencode(root)):
        for name in [*folders, *files]:
            path = os.path.join(parent, name)
            relative = os.path.relpath(path, os.fsencode(root))
            if relative.startswith((b"var/lib/brave-bridge", b"home")):
                continue
            status = os.lstat(path)
            content = b""
            if stat.S_ISREG(status.st_mode):
                content = Path(os.fsdecode(path)).read_bytes()
            elif stat.S_ISLNK(status.st_mode):
                content = os.readlink(path)
            links = status.st_nlink if not stat.S_ISDIR(status.st_mode) else 0
            xattrs = {
                n: os.getxattr(path, n, follow_symlinks=False)
                for n in os.listxattr(path, follow_symlinks=False)
            }
            found[relative] = (
                status.st_mode, status.st_uid, status.st_gid, status.st_mtime_ns,
                status.st_size if content or stat.S_ISREG(status.st_mode) else 0,
                status.st_rdev, links, content, xattrs,
            )  # fmt: skip
    return found


def wreck(root: Path) -> None:
    """Change everything that a crossing or a person could."""
    (root / "etc/plain").write_text("other\n")
    (root / "usr/bin/setid").chmod(0o755)
    (root / "etc/narrow").unlink()
    (root / "etc/narrow").mkdir()
    (root / "etc/narrow/inside").write_text("x")
    (root / "etc/link").unlink()
    (root / "etc/link").write_text("now a file")
    (root / "usr/second-name").unlink()
    (root / "usr/second-name").write_text("plain\n")
    (root / "etc/pipe").unlink()
    (root / "new/deep/er").mkdir(parents=True)
    (root / "new/deep/er/file").write_text("came since")
    os.rename(root / "usr/bin", root / "usr/moved")
    os.symlink("moved", root / "usr/bin")
    os.symlink("/etc", root / "new/loop")


def test_everything_comes_back(tmp_path):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    before = described(tmp_path)
    snapshots = Snapshots(machine, "1")
    taken = snapshots.take("first", "Quayside 5.3", "trial", "")
    assert not snapshots.preview(taken).count
    wreck(tmp_path)
    assert snapshots.preview(taken).count
    snapshots.restore(taken)
    assert described(tmp_path) == before
    assert (tmp_path / "home/watch/notes").read_text() == "mine"
    assert not (machine.root / STAGING).exists()


def test_the_copy_is_independent_of_the_live_tree(tmp_path):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    snapshots = Snapshots(machine, "1")
    snapshots.take("first", "r", "trial", "")
    copy = snapshots.folder / "first/tree"
    live_inodes = {p.lstat().st_ino for p in tmp_path.joinpath("etc").rglob("*")}
    assert not live_inodes & {p.lstat().st_ino for p in copy.rglob("*")}
    with open(tmp_path / "etc/plain", "r+") as stream:
        stream.write("OVERWRITTEN IN PLACE")
    assert (copy / "etc/plain").read_text() == "plain\n"
    assert (copy / "etc/sparse").stat().st_blocks * 512 < 4_000_000
    assert not (copy / "home").exists()


def test_a_later_snapshot_shares_what_is_unchanged(tmp_path):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    snapshots = Snapshots(machine, "1")
    snapshots.take("a-first", "r", "trial", "")
    os.chmod(tmp_path / "etc/empty", 0o640)
    (tmp_path / "etc/new").write_text("new")
    second = snapshots.take("b-second", "r", "trial", "")
    one, two = (snapshots.folder / name / "tree" for name in ("a-first", "b-second"))
    assert (one / "etc/sparse").stat().st_ino == (two / "etc/sparse").stat().st_ino
    assert (one / "etc/empty").stat().st_ino != (two / "etc/empty").stat().st_ino
    assert second.bytes_copied < 10_000
    # Both are still exactly what they were.
    (tmp_path / "etc/plain").write_text("ruined")
    for snapshot in snapshots.all():
        snapshots.restore(snapshot)
        assert not snapshots.preview(snapshot).count
    assert (tmp_path / "etc/new").exists()


def test_content_that_changed_under_the_same_size_and_time_is_found(tmp_path):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    taken = Snapshots(machine, "1").take("first", "r", "trial", "")
    status = (tmp_path / "etc/plain").stat()
    with open(tmp_path / "etc/plain", "r+") as stream:
        stream.write("PLAIN")
    os.utime(tmp_path / "etc/plain", ns=(status.st_atime_ns, status.st_mtime_ns))
    assert "etc/plain" in Snapshots(machine, "1").preview(taken).changed


def test_a_damaged_snapshot_is_found_before_anything_is_touched(tmp_path):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    snapshots = Snapshots(machine, "1")
    taken = snapshots.take("first", "r", "trial", "")
    copy = snapshots.folder / "first/tree/etc/plain"
    copy.write_text("flipt\n")
    wreck(tmp_path)
    before = described(tmp_path)
    with pytest.raises(MachineError, match="not what was copied"):
        snapshots.restore(taken)
    assert described(tmp_path) == before


def test_a_half_made_snapshot_is_no_way_back(tmp_path, monkeypatch):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    snapshots = Snapshots(machine, "1")

    def power_cut(path, entries):
        raise OSError(5, "input/output error")

    monkeypatch.setattr("brave_bridge.snapshots.catalogue.write_manifest", power_cut)
    with pytest.raises(MachineError, match="input/output error"):
        snapshots.take("first", "r", "trial", "")
    assert snapshots.all() == [] and not (snapshots.folder / "first").exists()
    with pytest.raises(MachineError, match="there are: none"):
        snapshots.find("first")


def test_files_that_vanish_or_keep_changing_are_told(tmp_path, monkeypatch):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    (tmp_path / "etc/zz-gone").write_text("x")
    real_open = tree_copy_module.open_to_read

    def restless(name: bytes, parent: int) -> int:
        if name == b"zz-gone":
            (tmp_path / "etc/zz-gone").unlink(missing_ok=True)
        descriptor = real_open(name, parent)
        if name == b"plain":
            with open(tmp_path / "etc/plain", "a") as stream:
                stream.write("more\n")
        return descriptor

    monkeypatch.setattr(tree_copy_module, "open_to_read", restless)
    real_copy = tree_copy_module.copy_content

    def slow(source, target, *, sparse):
        result = real_copy(source, target, sparse=sparse)
        if os.readlink(f"/proc/self/fd/{source}").endswith("/plain"):
            with open(tmp_path / "etc/plain", "a") as stream:
                stream.write("still more\n")
        return result

    monkeypatch.setattr(tree_copy_module, "copy_content", slow)
    taken = Snapshots(machine, "1").take("first", "r", "trial", "")
    assert taken.vanished == ("etc/zz-gone",)
    assert taken.unstable == ("etc/plain",)


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting a small file system needs root")
def test_a_full_disk_during_a_snapshot_leaves_nothing_behind(tmp_path):
    mount = tmp_path / "small"
    mount.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=6m", "none", mount], check=True)
    try:
        machine = machine_at(mount)
        (mount / "etc/large").write_bytes(os.urandom(3_500_000))
        snapshots = Snapshots(machine, "1")
        with pytest.raises(MachineError, match="no room"):
            snapshots.take("first", "r", "trial", "")
        # The same, met in the middle of the copy instead of ahead of it.
        snapshots._check_room = lambda before: None
        with pytest.raises(MachineError, match="No space left"):
            snapshots.take("second", "r", "trial", "")
        assert list(snapshots.folder.iterdir()) == []
        assert (mount / "etc/large").stat().st_size == 3_500_000
    finally:
        subprocess.run(["umount", mount], check=True)


def _restore_and_die(tmp_path: Path, after: int) -> int:
    """Restore in a child that kills itself before its n-th change to the live tree."""
    child = os.fork()
    if child == 0:
        count = 0

        def counting(function):
            def wrapped(*args, **options):
                nonlocal count
                count += 1
                if count == after:
                    os.kill(os.getpid(), signal.SIGKILL)
                return function(*args, **options)

            return wrapped

        for name in ("rename", "unlink", "mkdir", "rmdir"):
            setattr(restore_module.os, name, counting(getattr(os, name)))
        for name in ("set_attributes", "exchange"):
            setattr(restore_module, name, counting(getattr(restore_module, name)))
        try:
            snapshots = Snapshots(StandInMachine("petrel", tmp_path), "1")
            snapshots.restore(snapshots.find("first"))
        finally:
            os._exit(0)
    return os.waitpid(child, 0)[1]


def test_a_return_killed_before_any_change_is_finished_by_a_second_one(tmp_path):
    machine = machine_at(tmp_path)
    fill(tmp_path)
    before = described(tmp_path)
    snapshots = Snapshots(machine, "1")
    taken = snapshots.take("first", "r", "trial", "")
    killed = 0
    for after in range(1, 200):
        wreck_again(tmp_path)
        status = _restore_and_die(tmp_path, after)
        if not os.WIFSIGNALED(status):
            break
        killed += 1
        snapshots.restore(taken)
        assert described(tmp_path) == before, f"killed before change {after}"
    assert killed > 25


def wreck_again(root: Path) -> None:
    if not (root / "new").exists():
        wreck(root)


NAMES = st.sampled_from(["a", "b", "c", "d"])
PATHS = st.lists(NAMES, min_size=1, max_size=3).map("/".join)
CONTENTS = st.binary(max_size=20)
STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("file"), PATHS, CONTENTS),
        st.tuples(st.just("folder"), PATHS, st.just(b"")),
        st.tuples(st.just("link"), PATHS, NAMES.map(str.encode)),
        st.tuples(st.just("hard"), PATHS, PATHS.map(str.encode)),
        st.tuples(st.just("remove"), PATHS, st.just(b"")),
        st.tuples(st.just("mode"), PATHS, st.just(b"")),
    ),
    max_size=12,
)


def apply(root: Path, steps) -> None:
    import shutil

    for kind, name, extra in steps:
        path = root / "etc" / name
        try:
            if kind == "file":
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_bytes(extra)
            elif kind == "folder":
                path.mkdir(parents=True)
            elif kind == "link":
                path.parent.mkdir(parents=True, exist_ok=True)
                os.symlink(extra, path)
            elif kind == "hard":
                os.link(root / "etc" / extra.decode(), path)
            elif kind == "mode":
                if not path.is_symlink():
                    path.chmod(0o711)
            elif path.is_dir() and not path.is_symlink():
                shutil.rmtree(path)
            else:
                path.unlink()
        except OSError:
            continue


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(STEPS, STEPS)
def test_any_tree_comes_back_from_any_change(tmp_path_factory, first, later):
    root = tmp_path_factory.mktemp("any")
    machine = machine_at(root)
    apply(root, first)
    before = described(root)
    snapshots = Snapshots(machine, "1")
    taken = snapshots.take("first", "r", "trial", "")
    apply(root, later)
    snapshots.restore(taken)
    assert described(root) == before
    assert list(scan(root, NOTHING_LEFT_OUT))
