"""What is somebody's own is never rolled back, and no odd file is lost or stops a snapshot."""

import errno
import fcntl
import os
import shutil
import struct
import subprocess
import sys
from pathlib import Path

import pytest

from brave_bridge.machines.opening.named import ours_at
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.rescue.build import write_rescue_tool
from brave_bridge.snapshots.returning import Returning
from brave_bridge.snapshots.trees.cover import Cover, Exclusion
from brave_bridge.snapshots.trees.leading import with_what_is_led_to
from brave_bridge.snapshots.trees.projects import project_of, set_project
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from brave_bridge.workbench.ways.return_preview import preview_return
from tests.support import lab
from tests.support.trees import IS_ROOT, TRIAL, catalogue_at, described, differing

_GETFLAGS, _SETFLAGS = 0x80086601, 0x40086602
only_root = pytest.mark.skipif(not IS_ROOT, reason="only root gives files to others")


def system_at(root: Path) -> TreeMachine:
    for folder in ("etc", "var/lib", "usr/lib"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    (root / "etc/os-release").write_text("ID=quayside\nVERSION_ID=6\n")
    return TreeMachine("tree", root)


LINKS = {
    "home": "srv/home",
    "var/lib/docker": "data/docker",
    "var/lib/libvirt/images": "srv/guests",
    "var/lib/machines": "big/machines",
}


def written(folder: Path, text: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "thesis").write_text(text)


@pytest.mark.parametrize("by", ["the program", "the rescue tool"])
@pytest.mark.parametrize("absolute", [True, False])
@pytest.mark.parametrize("link", LINKS)
def test_data_behind_a_link_stays_as_it_is(tmp_path, link, absolute, by):
    root, place = tmp_path / "root", LINKS[link]
    machine = system_at(root)
    (root / link).parent.mkdir(parents=True, exist_ok=True)
    written(root / place / "alice", "old")
    up = "../" * link.count("/")
    (root / link).symlink_to(f"/{place}" if absolute else up + place)
    (root / "etc/motd").write_text("before")
    snapshots = Snapshots(machine, "1")
    taken = snapshots.take("first", TRIAL)
    assert any(f"/{link} leads there" in words for words in taken.left_out)
    written(root / place / "alice", "new")
    (root / place / "alice/letter").write_text("came since")
    (root / "etc/motd").write_text("after")
    returning = Returning(snapshots)
    assert [d.path for d in returning.preview(taken).differences] == ["etc/motd"]
    if by == "the program":
        returning.restore(taken)
    else:
        tool = tmp_path / "tool"
        write_rescue_tool(ours_at(tool))
        argv = [sys.executable, "-I", "-S", tool, "return", root, "first", "--yes"]
        subprocess.run(argv, check=True, capture_output=True)
    assert (root / "etc/motd").read_text() == "before"
    assert (root / place / "alice/thesis").read_text() == "new"
    assert (root / place / "alice/letter").exists() and (root / link).is_symlink()


def test_a_link_that_came_since_is_respected_too(tmp_path):
    root = tmp_path / "root"
    snapshots = Snapshots(system_at(root), "1")
    written(root / "home/alice", "old")
    written(root / "srv/home/alice", "somebody's")
    taken = snapshots.take("first", TRIAL)
    shutil.rmtree(root / "home")
    (root / "home").symlink_to("/srv/home")
    written(root / "srv/home/alice", "new")
    Returning(snapshots).restore(taken)
    assert (root / "home/alice").is_symlink() is False
    assert (root / "srv/home/alice/thesis").read_text() == "new"


@pytest.mark.parametrize(
    "target", ["/", "/etc", "/usr/lib", "/boot", "/var", "..", "/var/lib/dpkg"]
)
def test_no_link_leaves_out_what_belongs_to_the_system(tmp_path, target):
    system_at(tmp_path)
    (tmp_path / "home").symlink_to(target)
    cover = Cover((Exclusion("home", "theirs"),))
    assert with_what_is_led_to(tmp_path, cover) == cover


def test_absolute_links_are_resolved_inside_the_root(tmp_path):
    root = tmp_path / "root"
    system_at(root)
    (root / "home").symlink_to(tmp_path / "people")
    cover = with_what_is_led_to(root, Cover((Exclusion("home", "theirs"),)))
    inside = str(tmp_path / "people").strip("/")
    assert [one.path for one in cover.exclusions] == ["home", inside]


@only_root
def test_home_folders_of_accounts_are_homes_wherever_they_are(tmp_path):
    root = tmp_path / "root"
    machine = system_at(root)
    people = {"wren": (1000, "people/wren"), "tern": (1001, "etc"), "ruff": (1002, "opt/ruff")}
    people |= {"sanderling": (1003, "nowhere"), "daemon": (70, "var/daemon")}
    lines = [f"{name}:x:{uid}:{uid}::/{home}:/bin/sh" for name, (uid, home) in people.items()]
    (root / "etc/passwd").write_text("\n".join([*lines, "broken:x", ":::::::", ""]))
    for uid, home in people.values():
        if home != "nowhere":
            written(root / home, "old")
            os.chown(root / home, uid, uid)
    os.chown(root / "opt/ruff", 0, 0)
    snapshots = Snapshots(machine, "1")
    taken = snapshots.take("first", TRIAL)
    left = {one.path for one in taken.exclusions}
    assert "people/wren" in left and not left & {"etc", "opt/ruff", "nowhere", "var/daemon"}
    written(root / "people/wren", "new")
    written(root / "opt/ruff", "new")
    Returning(snapshots).restore(taken)
    assert (root / "people/wren/thesis").read_text() == "new"
    assert (root / "opt/ruff/thesis").read_text() == "old", "it is not that person's"


def test_what_would_be_lost_is_told_by_what_it_is_behind_a_link(stand_in):
    desk = stand_in("petrel")
    root = desk.machine.root
    written(root / "data/tidebase", "old")
    shutil.rmtree(root / "var/lib/postgresql", ignore_errors=True)
    (root / "var/lib/postgresql").symlink_to("/data/tidebase")
    taken = desk.snapshots.take("first", TRIAL)
    written(root / "data/tidebase", "new")
    preview = preview_return(desk, taken, lambda done: None)
    assert [(loss.name, loss.changed) for loss in preview.databases] == [("databases", 1)]


# Odd files


def test_an_attribute_whose_name_is_no_text_is_kept_as_it_is(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    file = tmp_path / "etc/odd"
    file.write_text("x")
    os.setxattr(file, b"user.\xff\xfe=", b"\x00\x01")
    os.setxattr(tmp_path / "usr/bin", b"user.caf\xe9", b"2")
    before = described(tmp_path)
    taken = snapshots.take("first", TRIAL)
    assert not returning.preview(taken).count and not returning.check(taken).faults
    os.removexattr(file, b"user.\xff\xfe=")
    os.setxattr(file, b"user.\xfd", b"came since")
    shutil.rmtree(tmp_path / "usr/bin")
    returning.restore(taken)
    assert differing(before, described(tmp_path)) == []
    assert os.listxattr(os.fsencode(file)) == [os.fsdecode(b"user.\xff\xfe=")]


def flags_of(path: Path, change: int | None = None) -> int:
    descriptor = os.open(path, os.O_RDONLY)
    try:
        found = struct.unpack_from("i", fcntl.ioctl(descriptor, _GETFLAGS, bytes(8)))[0]
        if change is not None:
            fcntl.ioctl(descriptor, _SETFLAGS, struct.pack("q", found | change))
        return found
    finally:
        os.close(descriptor)


S, C, P = 0x08, 0x04, 0x20000000


@only_root
def test_flags_of_files_come_back(tmp_path):
    with lab.disk(tmp_path, "ext4", "60M") as disk:
        root = disk / "root"
        snapshots, returning = catalogue_at(root)
        for name, flag in (("s", S), ("c", C)):
            (root / "etc" / name).write_text(name)
            flags_of(root / "etc" / name, flag)
        before = described(root)
        taken = snapshots.take("first", TRIAL)
        assert not returning.preview(taken).count
        for name in ("s", "c"):
            (root / "etc" / name).unlink()
            (root / "etc" / name).write_text(name)
        returning.restore(taken)
        assert flags_of(root / "etc/s") & S and flags_of(root / "etc/c") & C
        assert differing(before, described(root)) == [] and not returning.preview(taken).count


@only_root
def test_the_project_of_a_folder_that_is_made_anew_comes_back(tmp_path):
    with lab.disk(tmp_path, "xfs") as disk:
        root = disk / "root"
        snapshots, returning = catalogue_at(root)
        folder = root / "usr/bin/project"
        folder.mkdir()
        descriptor = os.open(folder, os.O_RDONLY)
        set_project(descriptor, 42, inherits=True)
        os.close(descriptor)
        (folder / "file").write_text("x")
        taken = snapshots.take("first", TRIAL)
        assert not returning.preview(taken).count
        shutil.rmtree(folder)
        returning.restore(taken)
        descriptor = os.open(folder, os.O_RDONLY)
        assert flags_of(folder) & P and project_of(descriptor) == 42
        os.close(descriptor)
        assert not returning.preview(taken).count


@only_root
def test_few_inodes_are_told_before_anything_is_done(tmp_path):
    with lab.disk(tmp_path, "ext4", "40M", "-N", "800") as disk:
        root = disk / "root"
        snapshots, returning = catalogue_at(root)
        for number in range(230):
            (root / "etc" / f"file-{number}").write_text("x")
        taken = snapshots.take("first", TRIAL)
        for number in range(200):
            (root / "etc" / f"file-{number}").write_text("changed")
        while os.statvfs(disk).f_favail > 50:
            (disk / f"filler-{os.statvfs(disk).f_favail}").touch()
        before = described(root)
        with pytest.raises(MachineError, match=r"too few inodes: 200 files .* 50 inodes are free"):
            returning.restore(taken)
        assert described(root) == before
        shutil.rmtree(snapshots.folder / "first")
        for number in range(150):
            (root / "usr/bin" / f"file-{number}").touch() if os.statvfs(disk).f_favail else None
        with pytest.raises(MachineError, match="too few inodes"):
            snapshots.take("second", TRIAL)
        assert not (snapshots.folder / "second").exists()


def test_a_full_disk_of_inodes_is_told_as_one(monkeypatch, tmp_path):
    snapshots, _ = catalogue_at(tmp_path)

    def full(*_words):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("brave_bridge.snapshots.engines.copied.copy_tree", full)
    monkeypatch.setattr("brave_bridge.snapshots.engines.copied._FEW_INODES", 1 << 62)
    with pytest.raises(MachineError, match="too few inodes"):
        snapshots.take("first", TRIAL)


def test_a_desk_tells_where_the_home_folders_are(stand_in):
    desk = stand_in("petrel")
    root = desk.machine.root
    (root / "srv/people").mkdir(parents=True)
    shutil.rmtree(root / "home", ignore_errors=True)
    (root / "home").symlink_to("/srv/people")
    told = Desk(Target("demo", "petrel"), desk.machine).snapshots.take("first", TRIAL).left_out
    assert [words for words in told if "/srv/people" in words and "/home leads there" in words]
