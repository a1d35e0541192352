"""Ways back on a real btrfs file system: by files, and by exchanging subvolumes."""

import os
import subprocess
import time
from pathlib import Path

import pytest

from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.tree import TreeMachine, open_tree
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.engines import btrfs_subvolumes, btrfs_swap
from brave_bridge.snapshots.engines.mounting import take_down_left_mounts
from brave_bridge.snapshots.returning import Returning
from brave_bridge.snapshots.returns.set_aside import delete_set_aside, set_aside
from tests.support import lab
from tests.support.trees import TRIAL

LEFT_OUT = (STATE_FOLDER.lstrip("/"), "home")


def make_system(root: Path) -> None:
    """A small system on a btrfs subvolume of its own."""
    subprocess.run(["btrfs", "-q", "subvolume", "create", root], check=True)
    for name in ("etc", "home/watch", "var/lib/tide", "usr/bin"):
        (root / name).mkdir(parents=True)
    (root / "etc/os-release").write_text("ID=quayside\n")
    (root / "etc/rules").write_text("one\n")
    os.link(root / "etc/rules", root / "usr/bin/rules")
    (root / "var/lib/tide/levels").write_bytes(os.urandom(300_000))
    (root / "home/watch/note").write_text("mine\n")


def change(root: Path) -> None:
    """What a leg or a person could do."""
    time.sleep(0.01)
    (root / "var/lib/tide/levels").write_bytes(b"flood")
    (root / "etc/rules").unlink()
    (root / "etc/rules").mkdir()
    (root / "etc/rules/new").write_text("x")
    (root / "usr/bin/rules").rename(root / "usr/bin/other")
    (root / "home/watch/note").write_text("newer\n")


def catalogue(root: Path) -> tuple[Snapshots, Returning]:
    snapshots = Snapshots(TreeMachine("system", root), "test")
    return snapshots, Returning(snapshots)


@pytest.fixture
def root(tmp_path):
    with lab.btrfs(tmp_path, "300M") as disk:
        make_system(disk / "system")
        yield disk / "system"


def test_who_names_the_top_of_the_file_system_is_led_to_the_subvolume(root):
    with pytest.raises(MachineError, match="it is no system") as told:
        open_tree(root.parent)
    assert told.value.remedy == f"there is a system in system below it: name {root}"
    assert open_tree(root).root == root


def test_a_snapshot_is_a_read_only_subvolume_without_the_state_folder(root):
    snapshots, returning = catalogue(root)
    taken = snapshots.take("first", TRIAL)
    tree = snapshots.folder / "first/root/tree"
    assert taken.engine == "btrfs" and taken.bytes_copied == 0
    assert (tree / "var/lib/tide/levels").is_file()
    assert list((tree / STATE_FOLDER.lstrip("/")).iterdir()) == []
    with pytest.raises(OSError, match="Read-only"):
        (tree / "etc/rules").write_text("no\n")
    assert not returning.check(taken).faults and not returning.preview(taken).count
    snapshots.delete("first", "trial")
    assert not (snapshots.folder / "first").exists() and snapshots.all() == []


def test_home_in_the_same_subvolume_lets_files_come_back_one_by_one(root):
    snapshots, returning = catalogue(root)
    taken = snapshots.take("first", TRIAL)
    ((_, way, why),) = returning.how(taken)
    assert way == "files" and "/home" in why
    before = lab.full_manifest(root, LEFT_OUT)
    change(root)
    assert returning.preview(taken).count
    returning.restore(taken)
    assert lab.differences(before, lab.full_manifest(root, LEFT_OUT)) == []
    assert (root / "home/watch/note").read_text() == "newer\n"
    assert returning.preview(taken, by_content=True).count == 0


def test_a_subvolume_within_it_is_a_part_of_its_own(root):
    inner = root / "srv"
    subprocess.run(["btrfs", "-q", "subvolume", "create", inner], check=True)
    (inner / "tides").write_text("then\n")
    snapshots, returning = catalogue(root)
    taken = snapshots.take("first", TRIAL)
    assert [part.mount for part in taken.parts] == ["/", "/srv"]
    before = lab.full_manifest(root, LEFT_OUT)
    (inner / "tides").write_text("now\n")
    change(root)
    returning.restore(taken)
    assert lab.differences(before, lab.full_manifest(root, LEFT_OUT)) == []


@pytest.fixture
def mounted(tmp_path):
    """The same with home in a subvolume of its own, mounted as a rescue shell mounts it."""
    with lab.btrfs(tmp_path, "300M") as disk:
        make_system(disk / "@")
        (disk / "@/home/watch/note").unlink()
        (disk / "@/home/watch").rmdir()
        subprocess.run(["btrfs", "-q", "subvolume", "create", disk / "@home"], check=True)
        (disk / "@home/note").write_text("mine\n")
        device = lab.loop_of(disk)
        root = tmp_path / "mnt"
        root.mkdir()
        mount(device, root, "@")
        mount(device, root / "home", "@home")
        try:
            yield disk, root, device
        finally:
            subprocess.run(["umount", "-R", root], check=False)
            take_down_left_mounts()
            mounts = Path("/proc/mounts").read_text().splitlines()
            left = [line for line in mounts if device in line and "mount-" in line]
            assert left == []


def test_a_mark_that_is_a_link_in_a_way_back_leads_nowhere(mounted, tmp_path):
    _, root, device = mounted
    outside = tmp_path / "outside"
    outside.write_text("kept")
    (root / btrfs_swap.RETURNED).symlink_to(outside)
    (root / "var/lib/further").symlink_to(tmp_path)
    snapshots, returning = catalogue(root)
    taken = snapshots.take("first", TRIAL)
    (root / btrfs_swap.RETURNED).unlink()
    (root / "etc/rules").write_text("two\n")
    assert returning.restore(taken).aside, "the subvolume was exchanged"
    assert outside.read_text() == "kept"
    snapshots, returning = again(device, root)
    assert (root / "etc/rules").read_text() == "one\n" and not returning.interrupted()
    assert outside.read_text() == "kept"


def mount(device: str, place: Path, subvolume: str) -> None:
    subprocess.run(["mount", "-o", f"subvol={subvolume}", device, place], check=True)


def again(device: str, root: Path) -> tuple[Snapshots, Returning]:
    """Unmount and mount again, as after a restart."""
    subprocess.run(["umount", "-R", root], check=True)
    mount(device, root, "@")
    mount(device, root / "home", "@home")
    return catalogue(root)


def test_the_subvolume_is_exchanged_and_the_present_one_is_set_aside(mounted):
    disk, root, device = mounted
    snapshots, returning = catalogue(root)
    taken = snapshots.take("first", TRIAL)
    ((_, way, _),) = returning.how(taken)
    assert way == "swap"
    left_out = (*LEFT_OUT, "home")
    before = lab.full_manifest(root, left_out)
    time.sleep(0.01)
    (root / "var/lib/tide/levels").write_bytes(b"flood")
    (root / "home/note").write_text("newer\n")
    (root / "etc/came-since").write_bytes(os.urandom(200_000))
    done = returning.restore(taken)
    (aside,) = done.aside
    # What is mounted goes on as it was, and still finds its logbook and snapshots.
    assert (root / "etc/came-since").exists() and (snapshots.folder / "first").is_dir()
    assert not returning.preview(taken).count, "the exchanged one is what it shall be"
    assert (disk / aside / "etc/came-since").exists()
    snapshots, returning = again(device, root)
    assert lab.differences(before, lab.full_manifest(root, left_out)) == []
    assert (root / "home/note").read_text() == "newer\n"
    assert [s.id for s in snapshots.all()] == ["first"]
    assert returning.preview(taken, by_content=True).count == 0
    # What was set aside is listed, and goes by hand; not while the system runs on it.
    (known,) = set_aside(snapshots.layout())
    assert (known.id, known.mount, known.in_use) == (aside, "/", False)
    spot = disk / "spot"
    spot.mkdir()
    mount(device, spot, aside)
    with pytest.raises(OSError, match="runs on it"):
        delete_set_aside(snapshots.layout(), aside)
    subprocess.run(["umount", spot], check=True)
    assert delete_set_aside(snapshots.layout(), aside) > 0
    assert set_aside(snapshots.layout()) == [] and not (disk / aside).exists()
    # And back again by the same way: the one set aside is a subvolume like any other.
    (root / "etc/came-since").write_text("y")
    returning.restore(snapshots.find("first"))
    again(device, root)
    assert not (root / "etc/came-since").exists()


@pytest.mark.parametrize("step", ["swap", "move_inner", "boot_it"])
def test_an_exchange_that_is_cut_off_is_finished_by_a_second_run(mounted, step, monkeypatch):
    disk, root, device = mounted
    snapshots, returning = catalogue(root)
    taken = snapshots.take("first", TRIAL)
    left_out = (*LEFT_OUT, "home")
    before = lab.full_manifest(root, left_out)
    (root / "etc/came-since").write_text("x")
    child = os.fork()
    if child == 0:
        module = btrfs_subvolumes if step == "swap" else btrfs_swap
        setattr(module, step, lambda *words: os._exit(9))
        try:
            returning.restore(taken)
        finally:
            os._exit(1)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9
    if step == "move_inner":
        # A restart right then: the new root has no state folder yet, but it is found.
        snapshots, returning = again(device, root)
        assert returning.interrupted() is not None
        assert snapshots.all() == []
        assert returning.finish_exchange() and not returning.finish_exchange()
        taken = snapshots.find("first")
    returning.restore(taken)
    snapshots, returning = again(device, root)
    assert lab.differences(before, lab.full_manifest(root, left_out)) == []
    assert [s.id for s in snapshots.all()] == ["first"]
    assert returning.interrupted() is None
    unfinished = [
        p for p in disk.glob("@.before-return-*") if (p / ".brave-bridge-returned").exists()
    ]
    assert unfinished == []
