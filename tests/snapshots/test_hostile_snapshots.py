"""Damaged, malicious and unreadable snapshots: a clear error, and nothing lost."""

import os
import re
import shutil
import stat
from pathlib import Path

import msgspec
import pytest

from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots.description import write_description
from brave_bridge.snapshots.trees import contents
from brave_bridge.snapshots.trees.manifest import DamagedManifest, Manifest, checksum_of
from tests.support.trees import (
    IS_ROOT,
    TRIAL,
    catalogue_at,
    described,
    differing,
    fill,
    free,
    wreck,
)


@pytest.fixture
def system(tmp_path):
    """A system in which something changed since its snapshot; described as it is now."""
    root = tmp_path / "root"
    root.mkdir()
    snapshots, returning = catalogue_at(root)
    fill(root)
    taken = snapshots.take("first", TRIAL)
    wreck(root)
    yield root, snapshots, returning, taken, described(root)
    free(root)


def forged(snapshots, taken, change) -> None:
    """Rewrite the manifest's lines, checksum and all, as somebody with the right to could."""
    folder = snapshots.folder / "first/root"
    lines = (folder / "manifest.jsonl").read_bytes().splitlines()
    (folder / "manifest.jsonl").write_bytes(b"\n".join(change(lines)) + b"\n")
    checksum = checksum_of(folder / "manifest.jsonl")
    part = msgspec.structs.replace(taken.parts[0], checksum=checksum)
    write_description(snapshots.own / "first", msgspec.structs.replace(taken, parts=(part,)))


def put(line: bytes):
    return lambda lines: [*lines[:1], line, *lines[1:]]


FILE = b'["f","%s",420,0,0,1,5,"aa",{},0]'
HOSTILE = {
    "up and out": put(FILE % b"../outside"),
    "absolute": put(FILE % b"/etc/outside"),
    "up, written otherwise": put(FILE % b"%2e%2e"),
    "a slash, written otherwise": put(FILE % b"..%2foutside"),
    "in another folder": put(FILE % b"usr/bin/outside"),
    "a NUL": put(FILE % b"a%00b"),
    "of no type": put(b'["z","odd",420,0,0,1,5,"aa",{},0]'),
    "no entry": put(b'{"path": "odd"}'),
    "not JSON": put(b"\xff\xfe\x00"),
    "a folder up and out": put(b'["d","../out",493,0,0,1,0,"",{},0]'),
    "a folder without one above": put(b'["d","no/where",493,0,0,1,0,"",{},0]'),
    "a folder twice": lambda lines: [*lines, lines[0]],
    "cut": lambda lines: [*lines[:-1], lines[-1][:20]],
    "empty": lambda lines: [],
}


@pytest.mark.parametrize("how", HOSTILE)
def test_a_manifest_that_says_what_no_tree_can_be(system, how):
    root, snapshots, returning, taken, live = system
    forged(snapshots, taken, HOSTILE[how])
    with pytest.raises(MachineError):
        returning.restore(snapshots.find("first"))
    assert differing(live, described(root)) == [] and returning.interrupted() is None
    assert returning.check(snapshots.kept("first").snapshot).faults
    outside = [p for p in root.parent.iterdir() if p.name != "root"]
    assert outside == [] and not (root / "etc/outside").exists()


def test_a_manifest_that_was_changed_is_noticed_by_its_checksum(system):
    root, snapshots, returning, taken, live = system
    path = snapshots.folder / "first/root/manifest.jsonl"
    path.write_bytes(path.read_bytes().replace(b'"usr/bin/setid",2541', b'"usr/bin/setid",511 '))
    path.write_bytes(re.sub(rb'("etc/plain",)\d+', rb"\g<1>511", path.read_bytes(), count=1))
    with pytest.raises(MachineError, match="checksum"):
        returning.restore(taken)
    assert differing(live, described(root)) == []


def test_a_link_in_the_snapshots_files_leads_nowhere(system, tmp_path):
    root, snapshots, returning, taken, live = system
    secret = tmp_path / "secret"
    secret.mkdir()
    (secret / "setid").write_text("not of this snapshot")
    tree = snapshots.folder / "first/root/tree"
    shutil.rmtree(tree / "usr/bin")
    (tree / "usr/bin").symlink_to(secret)
    with pytest.raises(MachineError, match="/usr/bin/"):
        returning.restore(taken)
    assert differing(live, described(root)) == []
    with pytest.raises(MachineError):
        returning.read_file(taken, "/usr/bin/setid", 100)
    (tree / "etc/plain").unlink()
    (tree / "etc/plain").symlink_to(secret / "setid")
    assert any("/etc/plain" in fault for fault in returning.check(taken).faults)


@pytest.mark.parametrize("what", ["pipe", "endless device"])
def test_a_device_or_pipe_in_the_place_of_a_file_is_not_read(system, what):
    root, snapshots, returning, taken, live = system
    place = snapshots.folder / "first/root/tree/etc/plain"
    place.unlink()
    if what == "pipe":
        os.mkfifo(place)
    elif IS_ROOT:
        os.mknod(place, 0o666 | stat.S_IFCHR, os.makedev(1, 5))
    else:
        place.mkdir()
    with pytest.raises(MachineError, match=r"/etc/plain: |no file any more"):
        returning.restore(taken)
    assert differing(live, described(root)) == []
    with pytest.raises(MachineError):
        returning.read_file(taken, "/etc/plain", 100)
    assert any("/etc/plain" in fault for fault in returning.check(taken).faults)


def test_a_folder_that_became_a_link_meanwhile_is_not_followed(system, tmp_path, monkeypatch):
    """Between comparing and swapping somebody exchanges a folder for a link out of the tree."""
    from brave_bridge.snapshots.returns.restoration import Restoration

    root, _, returning, taken, _ = system
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "plain").write_text("theirs")
    real = Restoration.replace

    def late(self):
        (root / "etc").rename(root / "was-etc")
        (root / "etc").symlink_to(outside)
        real(self)

    monkeypatch.setattr(Restoration, "replace", late)
    with pytest.raises(MachineError):
        returning.restore(taken)
    assert [p.name for p in outside.iterdir()] == ["plain"]
    assert (outside / "plain").read_text() == "theirs"
    monkeypatch.undo()
    (root / "etc").unlink()
    (root / "was-etc").rename(root / "etc")
    assert returning.interrupted().phase == "swapping"
    returning.restore(taken)
    assert not returning.preview(taken, by_content=True).count


DAMAGES = {
    "no description": (lambda f: (f / "description.toml").unlink(), None),
    "a torn description": (
        lambda f: (f / "description.toml").write_text('id = "first"\nmach'),
        "cannot be read",
    ),
    "another's description": (
        lambda f: (f / "description.toml").write_text(
            (f / "description.toml").read_text().replace('id = "first"', 'id = "../../x"')
        ),
        "it names another",
    ),
    "a part elsewhere": (
        lambda f: (f / "description.toml").write_text(
            (f / "description.toml").read_text().replace('folder = "root"', 'folder = "../x"')
        ),
        "it names no part",
    ),
    "an unknown engine": (
        lambda f: (f / "description.toml").write_text(
            (f / "description.toml").read_text().replace('engine = "copy"', 'engine = "magic"')
        ),
        "it names no part",
    ),
    "no manifest": (lambda f: (f / "root/manifest.jsonl").unlink(), "manifest of / is missing"),
    "an empty manifest": (lambda f: (f / "root/manifest.jsonl").write_text(""), "is missing"),
    "no files": (lambda f: shutil.rmtree(f / "root/tree"), "files of / are missing"),
    "open to all": (lambda f: f.chmod(0o777), "others than root" if IS_ROOT else None),
}


@pytest.mark.parametrize("how", DAMAGES)
def test_a_snapshot_folder_that_somebody_damaged(system, how):
    root, snapshots, returning, _, live = system
    damage, fault = DAMAGES[how]
    damage(snapshots.folder / "first")
    listed = snapshots.listed()
    assert snapshots.all() == [] or fault is None
    if fault:
        assert fault in listed[0].fault
        with pytest.raises(MachineError, match=r"opening|finding"):
            snapshots.find("first")
        snapshots.delete("first", "damaged")
        assert snapshots.listed() == []
    assert differing(live, described(root)) == []
    # Whatever there is, a new one can be taken.
    taken = snapshots.take("second", TRIAL)
    assert not returning.check(taken).faults


def test_a_file_that_stands_in_the_way_of_folders_left_out_is_refused(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    (tmp_path / "var/cache").mkdir()
    (tmp_path / "var/cache/apt").write_text("a file, then")
    taken = snapshots.take("first", TRIAL)
    (tmp_path / "var/cache/apt").unlink()
    (tmp_path / "var/cache/apt/archives").mkdir(parents=True)
    (tmp_path / "var/cache/apt/archives/tide.deb").write_text("fetched")
    with pytest.raises(MachineError, match="does not cover"):
        returning.restore(taken)
    assert (tmp_path / "var/cache/apt/archives/tide.deb").exists()


class Failing:
    """os.read that fails on one file, as a bad block does."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.real = os.read
        self.failed = 0

    def __call__(self, descriptor: int, size: int) -> bytes:
        if os.readlink(f"/proc/self/fd/{descriptor}").endswith(self.name):
            self.failed += 1
            raise OSError(5, "Input/output error", self.name)
        return self.real(descriptor, size)


@pytest.mark.parametrize("where", ["take", "check", "preview", "restore"])
def test_a_read_error_is_told_and_nothing_is_lost(system, monkeypatch, where):
    root, snapshots, returning, taken, live = system
    failing = Failing("/etc/large")
    with monkeypatch.context() as patch:
        patch.setattr(contents.os, "read", failing)
        patch.setattr("brave_bridge.snapshots.jobs.crew.ALONE_SECONDS", 1000.0)
        if where == "take":
            with pytest.raises(MachineError, match="Input/output error"):
                snapshots.take("second", TRIAL)
        elif where == "check":
            assert "Input/output" in returning.check(taken).faults[0]
        elif where == "preview":
            with pytest.raises(MachineError, match="Input/output error"):
                returning.preview(taken, by_content=True)
        else:
            with pytest.raises(MachineError, match="Input/output error"):
                returning.restore(taken)
        assert failing.failed
    assert differing(live, described(root)) == [] and returning.interrupted() is None
    assert [p.name for p in Path(snapshots.folder).iterdir() if p.is_dir()] == ["first"]
    if where != "check":
        returning.restore(taken)
        assert not returning.preview(taken, by_content=True).count


def test_a_manifest_is_refused_by_the_reader_itself(tmp_path):
    path = tmp_path / "manifest.jsonl"
    path.write_bytes(b'["d","",493,0,0,1,0,"",{},0]\n["f","a/b",420,0,0,1,1,"x",{},0]\n')
    with pytest.raises(DamagedManifest, match="no path in"):
        Manifest(path).others_in("")
