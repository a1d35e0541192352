"""Ways back on a real btrfs file system."""

import os
import subprocess
import time

import pytest

from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from tests.support import lab


@pytest.fixture
def root(tmp_path):
    """A small system on a btrfs subvolume of its own."""
    with lab.btrfs(tmp_path, "300M") as disk:
        root = disk / "system"
        subprocess.run(["btrfs", "-q", "subvolume", "create", root], check=True)
        for name in ("etc", "home/watch", "var/lib/tide", "usr/bin"):
            (root / name).mkdir(parents=True)
        (root / "etc/os-release").write_text("ID=quayside\n")
        (root / "etc/rules").write_text("one\n")
        os.link(root / "etc/rules", root / "usr/bin/rules")
        (root / "var/lib/tide/levels").write_bytes(os.urandom(300_000))
        (root / "home/watch/note").write_text("mine\n")
        yield root


def test_a_snapshot_is_a_read_only_subvolume_without_the_state_folder(root):
    snapshots = Snapshots(TreeMachine("system", root), "test")
    taken = snapshots.take("first", "Quayside", "trial", "")
    tree = snapshots.folder / "first/tree"
    assert taken.engine == "btrfs" and taken.bytes_copied == 0
    assert (tree / "var/lib/tide/levels").is_file()
    assert list((tree / STATE_FOLDER.lstrip("/")).iterdir()) == []
    with pytest.raises(OSError, match="Read-only"):
        (tree / "etc/rules").write_text("no\n")


def test_a_return_gives_back_exactly_what_was(root):
    snapshots = Snapshots(TreeMachine("system", root), "test")
    taken = snapshots.take("first", "Quayside", "trial", "")
    left_out = (STATE_FOLDER.lstrip("/"), "home")
    before = lab.full_manifest(root, left_out)
    time.sleep(0.01)
    (root / "var/lib/tide/levels").write_bytes(b"flood")
    (root / "etc/rules").unlink()
    (root / "etc/rules").mkdir()
    (root / "etc/rules/new").write_text("x")
    (root / "usr/bin/rules").rename(root / "usr/bin/other")
    (root / "home/watch/note").write_text("newer\n")
    snapshots.restore(taken)
    assert lab.differences(before, lab.full_manifest(root, left_out)) == []
    assert (root / "home/watch/note").read_text() == "newer\n"
    assert snapshots.preview(taken).count == 0
