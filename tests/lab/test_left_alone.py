"""A return on real file systems never touches what it says it leaves alone."""

import errno
import fcntl
import os
import struct
import subprocess
from pathlib import Path
from unittest.mock import patch

import pytest

from brave_bridge.machines.port import MachineError
from brave_bridge.machines.subvolumes import make_subvolume
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.description import About
from brave_bridge.snapshots.engines import btrfs_subvolumes
from brave_bridge.snapshots.returning import Returning
from brave_bridge.snapshots.returns import moving
from brave_bridge.snapshots.trees.cover import Cover
from brave_bridge.snapshots.trees.mounts import mounts_below
from tests.support import lab
from tests.support.trees import described, differing

_NO_COW = 0x00800000


def system_on(root: Path) -> tuple[Snapshots, Returning]:
    for folder in ("etc", "usr/bin", "home/data", "var/lib", "opt/data"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    (root / "etc/os-release").write_text("ID=quayside\n")
    (root / "etc/plain").write_text("before\n")
    machine = TreeMachine("system", root)
    machine.state.make()
    snapshots = Snapshots(machine, "test")
    return snapshots, Returning(snapshots)


def about(engine: str = "") -> About:
    return About(release="Quayside 5.3", reason="trial", engine=engine)


def run(*words: str | Path) -> None:
    subprocess.run([str(word) for word in words], check=True, capture_output=True)


def flags_of(path: Path) -> int:
    descriptor = os.open(path, os.O_RDONLY)
    try:
        return struct.unpack_from("i", fcntl.ioctl(descriptor, 0x80086601, bytes(8)))[0]
    finally:
        os.close(descriptor)


# btrfs: subvolumes


PLACES = ("home/watch", "var/lib/docker/one", "var/lib/machines/two", "var/lib/libvirt/images")


@pytest.mark.parametrize("engine", ["btrfs", "copy"])
def test_subvolumes_in_left_out_places_are_not_rolled_back(tmp_path, engine):
    with lab.disk(tmp_path, "btrfs") as mount:
        root = mount / "system"
        make_subvolume(root)
        snapshots, returning = system_on(root)
        for place in (*PLACES, "srv/books"):
            (root / place).parent.mkdir(parents=True, exist_ok=True)
            make_subvolume(root / place)
            (root / place / "letter").write_text("old")
        taken = snapshots.take("first", about(engine))
        assert not {f"/{place}" for place in PLACES} & {part.mount for part in taken.parts}
        for place in (*PLACES, "srv/books"):
            (root / place / "letter").write_text("written since")
            (root / place / "new").write_text("new")
        (root / "etc/plain").write_text("after\n")
        report = returning.restore(taken)
        assert (root / "etc/plain").read_text() == "before\n"
        for place in PLACES:
            assert (root / place / "letter").read_text() == "written since", place
            assert (root / place / "new").is_file()
        if engine == "btrfs":
            assert (root / "srv/books/letter").read_text() == "old" and not report.aside
        assert mounts_below(mount) == ()


def test_a_snapshot_of_an_earlier_version_leaves_them_alone_too(tmp_path):
    with lab.disk(tmp_path, "btrfs") as mount:
        root = mount / "system"
        make_subvolume(root)
        snapshots, returning = system_on(root)
        make_subvolume(root / "home/watch")
        (root / "home/watch/letter").write_text("old")
        # As an earlier version took it: the home's subvolume is a part.
        with patch.object(Cover, "keeps_out_of", lambda self, path: path.startswith("/var")):
            taken = snapshots.take("first", about("btrfs"))
        assert "/home/watch" in {part.mount for part in taken.parts}
        (root / "home/watch/letter").write_text("written since")
        returning.restore(taken)
        assert (root / "home/watch/letter").read_text() == "written since"


@pytest.mark.parametrize("engine", ["btrfs", "copy"])
def test_a_subvolume_that_came_since_stays_and_is_told(tmp_path, engine):
    with lab.disk(tmp_path, "btrfs") as mount:
        root = mount / "system"
        make_subvolume(root)
        snapshots, returning = system_on(root)
        (root / "srv/old").mkdir(parents=True)
        (root / "srv/old/file").write_text("file")
        taken = snapshots.take("first", about(engine))
        make_subvolume(root / "opt/new")
        (root / "opt/new/kept").write_text("kept")
        # A subvolume where a folder with files stood.
        run("rm", "-r", root / "srv/old")
        make_subvolume(root / "srv/old")
        (root / "srv/old/kept").write_text("kept")
        (root / "etc/plain").write_text("after\n")
        report = returning.restore(taken)
        assert (root / "etc/plain").read_text() == "before\n"
        assert (root / "opt/new/kept").read_text() == "kept"
        assert (root / "srv/old/kept").read_text() == "kept"
        told = " ".join(report.told)
        assert "/opt/new is a mount or subvolume that came since" in told and "/srv/old" in told


def test_read_only_subvolumes_and_no_copy_on_write_come_back(tmp_path):
    with lab.disk(tmp_path, "btrfs") as mount:
        root = mount / "system"
        make_subvolume(root)
        snapshots, returning = system_on(root)
        for name in ("frozen", "thawed", "same"):
            (root / "srv").mkdir(exist_ok=True)
            make_subvolume(root / "srv" / name)
            (root / "srv" / name / "file").write_text("before")
        run("btrfs", "property", "set", "-ts", root / "srv/frozen", "ro", "true")
        (root / "srv/machines").mkdir()
        run("chattr", "+C", root / "srv/machines")
        (root / "srv/machines/disk").write_bytes(os.urandom(300_000))
        assert flags_of(root / "srv/machines/disk") & _NO_COW
        before = described(root)
        taken = snapshots.take("first", about("btrfs"))
        run("btrfs", "property", "set", "-ts", root / "srv/frozen", "ro", "false")
        (root / "srv/frozen/file").write_text("after")
        run("btrfs", "property", "set", "-ts", root / "srv/thawed", "ro", "true")
        content = (root / "srv/machines/disk").read_bytes()
        (root / "srv/machines/disk").unlink()
        run("chattr", "-C", root / "srv/machines")
        (root / "srv/machines/disk").write_bytes(content)
        assert not flags_of(root / "srv/machines/disk") & _NO_COW
        (root / "home/letter").write_text("a letter, so that files come back one by one")
        returning.restore(taken)
        assert differing(before, described(root)) in ([], ["home/letter"])
        assert btrfs_subvolumes.is_read_only(root / "srv/frozen")
        assert not btrfs_subvolumes.is_read_only(root / "srv/thawed")
        assert flags_of(root / "srv/machines/disk") & _NO_COW
        assert not returning.preview(taken, by_content=True).count


# Mounts


@pytest.mark.parametrize("kind", ["ext4", "btrfs"])
def test_what_a_bind_mount_shows_is_left_alone(tmp_path, kind):
    with lab.disk(tmp_path, kind) as mount:
        root = mount / "system"
        root.mkdir()
        snapshots, returning = system_on(root)
        (root / "home/data/letter").write_text("old")
        (root / "etc/names").write_text("of the tree")
        run("mount", "--bind", root / "home/data", root / "opt/data")
        run("mount", "--bind", root / "home/data/letter", root / "etc/names")
        try:
            taken = snapshots.take("first", about("copy"))
            (root / "home/data/letter").write_text("edited since")
            (root / "home/data/new").write_text("new")
            (root / "etc/plain").write_text("after\n")
            returning.restore(taken)
            assert (root / "etc/plain").read_text() == "before\n"
            assert (root / "home/data/letter").read_text() == "edited since"
            assert (root / "home/data/new").read_text() == "new"
            assert not returning.preview(taken, by_content=True).count
        finally:
            run("umount", root / "opt/data")
            run("umount", root / "etc/names")
        # Without the mounts, which came since the snapshot for it: only what is below is seen.
        assert (root / "etc/names").read_text() == "of the tree"


def test_a_bind_mount_that_came_since_hides_nothing_from_harm(tmp_path):
    with lab.disk(tmp_path, "ext4") as mount:
        root = mount / "system"
        root.mkdir()
        snapshots, returning = system_on(root)
        (root / "opt/data/own").write_text("own")
        taken = snapshots.take("first", about())
        run("mount", "--bind", root / "home/data", root / "opt/data")
        try:
            (root / "home/data/letter").write_text("edited since")
            (root / "etc/plain").write_text("after\n")
            report = returning.restore(taken)
            assert (root / "home/data/letter").read_text() == "edited since"
            assert any("/opt/data" in sentence for sentence in report.told)
            with pytest.raises(MachineError):
                returning.restore_path(taken, "/opt/data/own")
            with pytest.raises(MachineError):
                returning.restore_path(taken, "/opt")
            assert (root / "home/data/letter").read_text() == "edited since"
        finally:
            run("umount", root / "opt/data")
        assert (root / "opt/data/own").read_text() == "own"


# Hard links


def test_a_file_with_a_name_in_a_left_out_place_is_told_and_kept(tmp_path):
    with lab.disk(tmp_path, "ext4") as mount:
        snapshots, returning = system_on(mount)
        for name in ("content", "mode", "same"):
            (mount / "etc" / name).write_text("before")
            os.link(mount / "etc" / name, mount / "home/data" / name)
        taken = snapshots.take("first", about())
        (mount / "etc/content").write_text("after")
        (mount / "etc/mode").chmod(0o600)
        report = returning.restore(taken)
        assert (mount / "etc/content").read_text() == "before"
        assert (mount / "home/data/content").read_text() == "after"
        assert (mount / "etc/mode").stat().st_mode & 0o777 == 0o644
        assert (mount / "home/data/mode").stat().st_mode & 0o777 == 0o600
        assert (mount / "etc/same").stat().st_nlink == 2
        told = " ".join(report.told)
        assert "/etc/content was one file" in told and "/etc/mode was one file" in told
        assert "/etc/same" not in told


# What keeps a rename from going somewhere


def test_folders_of_a_project_come_back(tmp_path):
    with lab.disk(tmp_path, "xfs") as mount:
        snapshots, returning = system_on(mount)
        for folder in ("srv/books", "srv/books/deep"):
            (mount / folder).mkdir(parents=True)
        tool = ["xfs_io", "-c", "chproj 42", "-c", "chattr +P"]
        run(*tool, mount / "srv/books", mount / "srv/books/deep")
        for name in ("changed", "missing", "deep/missing"):
            (mount / "srv/books" / name).write_text("before")
        (mount / "srv/books/folder").mkdir()
        (mount / "srv/books/folder/in").write_text("before")
        before = described(mount)
        taken = snapshots.take("first", about())
        (mount / "srv/books/changed").write_text("after, and longer")
        (mount / "srv/books/missing").unlink()
        run("rm", "-r", mount / "srv/books/folder", mount / "srv/books/deep/missing")
        (mount / "srv/books/extra").write_text("extra")
        returning.restore(taken)
        assert differing(before, described(mount)) == []
        shown = subprocess.run(
            ["xfs_io", "-r", "-c", "lsproj", mount / "srv/books/folder/in"],
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        assert "42" in shown


def test_a_full_project_is_told_before_anything_changes(tmp_path, monkeypatch):
    # The kernel of where this is tried need not count what a project takes.
    def full(*_):
        raise OSError(errno.EDQUOT, os.strerror(errno.EDQUOT))

    with lab.disk(tmp_path, "xfs") as mount:
        snapshots, returning = system_on(mount)
        (mount / "srv/books").mkdir(parents=True)
        run("xfs_io", "-c", "chproj 42", "-c", "chattr +P", mount / "srv/books")
        (mount / "srv/books/large").write_bytes(os.urandom(3_000_000))
        taken = snapshots.take("first", about())
        (mount / "srv/books/large").unlink()
        (mount / "etc/plain").write_text("after\n")
        with monkeypatch.context() as patched:
            patched.setattr("brave_bridge.snapshots.returns.staging.give_project", full)
            with pytest.raises(MachineError, match="quota") as told:
                returning.restore(taken)
        assert (mount / "etc/plain").read_text() == "after\n"
        assert "untouched" in told.value.remedy
        returning.restore(taken)
        assert (mount / "etc/plain").read_text() == "before\n"


def test_a_folder_where_no_rename_leads_gets_copies(tmp_path, monkeypatch):
    # As into an encrypted folder, whose key this machine's kernel cannot be given by a test.
    rename, exchange = os.rename, moving.exchange

    def refuse_between(deed):
        def tried(*words, src_dir_fd=None, dst_dir_fd=None):
            if src_dir_fd is None:
                source, target = words[1], words[3]
            else:
                source, target = src_dir_fd, dst_dir_fd
            if not os.path.sameopenfile(source, target):
                raise OSError(errno.EXDEV, os.strerror(errno.EXDEV))
            ways = {} if src_dir_fd is None else {"src_dir_fd": source, "dst_dir_fd": target}
            return deed(*words, **ways)

        return tried

    with lab.disk(tmp_path, "ext4") as mount:
        snapshots, returning = system_on(mount)
        (mount / "srv/books/deep").mkdir(parents=True)
        for name in ("changed", "missing", "deep/missing"):
            (mount / "srv/books" / name).write_text("before")
        os.symlink("missing", mount / "srv/books/link")
        (mount / "srv/books/changed").chmod(0o4640)
        os.setxattr(mount / "srv/books/changed", "user.shelf", b"3")
        before = described(mount)
        taken = snapshots.take("first", about())
        (mount / "srv/books/changed").write_text("after, and longer")
        run(
            "rm",
            "-r",
            mount / "srv/books/missing",
            mount / "srv/books/deep",
            mount / "srv/books/link",
        )
        with monkeypatch.context() as patched:
            patched.setattr(os, "rename", refuse_between(rename))
            patched.setattr(moving, "exchange", refuse_between(exchange))
            returning.restore(taken)
        assert differing(before, described(mount)) == []


def test_a_swap_file_in_use_is_left_alone_and_told(tmp_path):
    with lab.disk(tmp_path, "ext4") as mount:
        snapshots, returning = system_on(mount)
        (mount / "var/extra").mkdir()
        taken = snapshots.take("first", about())
        for name in ("var/extra/paging", "paging"):
            run("dd", "if=/dev/zero", f"of={mount / name}", "bs=1M", "count=4")
            (mount / name).chmod(0o600)
            run("mkswap", mount / name)
        (mount / "etc/plain").write_text("after\n")
        run("swapon", mount / "var/extra/paging")
        try:
            report = returning.restore(taken)
            assert "/var/extra/paging is swapped to" in " ".join(report.told)
            assert (mount / "var/extra/paging").is_file()
            assert (mount / "etc/plain").read_text() == "before\n"
            assert not (mount / "paging").exists()
        finally:
            run("swapoff", mount / "var/extra/paging")


def test_missing_room_is_told_with_the_bytes_before_anything_changes(tmp_path):
    with lab.disk(tmp_path, "ext4", "200M") as mount:
        snapshots, returning = system_on(mount)
        (mount / "srv").mkdir()
        (mount / "srv/large").write_bytes(os.urandom(50_000_000))
        taken = snapshots.take("first", about())
        (mount / "srv/large").unlink()
        (mount / "etc/plain").write_text("after\n")
        room = os.statvfs(mount)
        filler = room.f_bavail * room.f_frsize - 20_000_000
        (mount / "home/data/filler").write_bytes(bytes(filler))
        with pytest.raises(MachineError, match=r"\d+ bytes are missing"):
            returning.restore(taken)
        assert (mount / "etc/plain").read_text() == "after\n"
        assert not (mount / ".brave-bridge-return").exists()
        (mount / "home/data/filler").unlink()
        returning.restore(taken)
        assert (mount / "srv/large").stat().st_size == 50_000_000
