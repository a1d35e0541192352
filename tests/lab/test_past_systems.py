"""Past systems on a real btrfs: made of a way back, taken away, kept, cut off at any step."""

import os
import subprocess

import pytest

from brave_bridge.core.survey.platform import PAST_MARK
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.engines import btrfs_subvolumes, btrfs_swap
from brave_bridge.snapshots.past_systems import PastSystems
from brave_bridge.snapshots.returning import Returning
from tests.lab.test_btrfs import change
from tests.support import lab
from tests.support.trees import TRIAL

STATE = STATE_FOLDER.lstrip("/")


def opened(root) -> tuple[Snapshots, PastSystems]:
    snapshots = Snapshots(TreeMachine("system", root), "test")
    return snapshots, PastSystems(snapshots)


@pytest.fixture
def disk(tmp_path):
    """A system in ``@``, its records and home folders in subvolumes; a way back, and a change."""
    with lab.btrfs(tmp_path, "300M") as top:
        root = top / "@"
        for name in ("@", "@home"):
            subprocess.run(["btrfs", "-q", "subvolume", "create", top / name], check=True)
        for name in ("etc", "home", "boot", "usr/bin", "var/lib/tide"):
            (root / name).mkdir(parents=True)
        (root / "etc/os-release").write_text("ID=quayside\n")
        (root / "etc/fstab").write_text("# mine\nLABEL=quay / btrfs subvol=@ 0 0\n")
        (root / "etc/rules").write_text("one\n")
        os.link(root / "etc/rules", root / "usr/bin/rules")
        (root / "var/lib/tide/levels").write_bytes(b"low")
        (root / "boot/vmlinuz-6.1.0-8").write_bytes(b"image")
        device = subprocess.run(
            ["findmnt", "-no", "SOURCE", top], capture_output=True, text=True, check=True
        ).stdout.partition("[")[0]
        yield Disk(top, device.strip(), tmp_path)


class Disk:
    """The file system's top, and its subvolumes mounted as a system mounts them."""

    def __init__(self, top, device: str, room) -> None:
        self.top, self.device, self.room = top, device, room

    def system(self, subvolume: str):
        place = self.room / "mounted"
        place.mkdir(exist_ok=True)
        subprocess.run(["umount", "-qR", place], check=False)
        subprocess.run(["mount", "-o", f"subvol={subvolume}", self.device, place], check=True)
        return place

    def close(self) -> None:
        subprocess.run(["umount", "-qR", self.room / "mounted"], check=False)


@pytest.fixture
def system(disk):
    """It runs in ``@``: its way back ``first`` was taken, and all was changed then."""
    root = disk.system("@")
    snapshots, past = opened(root)
    snapshots.take("first", TRIAL)
    (root / "home/watch").mkdir()
    (root / "home/watch/note").write_text("mine\n")
    change(root)
    yield disk, root, past
    disk.close()


def test_it_is_the_way_back_beside_the_system_of_now(system):
    disk, root, past = system
    made = past.make("first")
    assert made == past.make("first") and past.listed() == [made]
    place = disk.top / made.subvolume
    assert (made.subvolume, made.name, made.kernels) == ("@.as-of-first", "@", ("6.1.0-8",))
    assert (place / "var/lib/tide/levels").read_bytes() == b"low"
    assert (place / PAST_MARK.lstrip("/")).read_text() == "first\n"
    fstab = (place / "etc/fstab").read_text()
    assert fstab.startswith("# mine\nLABEL=quay") and f"subvol=@/{STATE},nofail" in fstab
    assert "nofail" not in (root / "etc/fstab").read_text()
    past.delete("first")
    assert past.listed() == [] and not place.exists()
    assert [kept.id for kept in past.snapshots.all()] == ["first"]


def test_what_a_kill_left_half_made_is_made_anew(system):
    disk, _, past = system
    tree = (past.snapshots.base(past.snapshots.find("first")) / "root/tree").path
    btrfs_subvolumes.tool(
        "btrfs", "subvolume", "snapshot", str(tree), str(disk.top / "@.as-of-first")
    )
    assert past.listed() == []
    assert past.make("first").way_back == "first"


def test_links_in_the_system_lead_nowhere_else(disk, tmp_path):
    outside = tmp_path / "outside"
    outside.mkdir()
    root = disk.system("@")
    (root / "etc").rename(root / "etc-real")
    (root / "etc").symlink_to(outside)
    try:
        snapshots, past = opened(root)
        snapshots.take("first", TRIAL)
        past.make("first")
        assert list(outside.iterdir()) == []
    finally:
        disk.close()


def test_kept_it_has_its_own_place(system):
    disk, root, past = system
    made = past.make("first")
    with pytest.raises(MachineError, match="does not run on one"):
        past.keep()
    root = disk.system(made.subvolume)
    subprocess.run(["mount", "-o", f"subvol=@/{STATE}", disk.device, root / STATE], check=True)
    (root / "var/lib/tide/levels").write_bytes(b"of the past system")
    _, past = opened(root)
    assert [one.running for one in past.listed()] == [True]
    with pytest.raises(MachineError, match="runs on it"):
        past.delete("first")
    with pytest.raises(MachineError, match="/home is in the same subvolume"):
        past.keep()
    subprocess.run(["rm", "-r", disk.top / "@/home/watch"], check=True)
    aside = past.keep()
    assert aside.startswith("@.before-return-")
    assert (disk.top / "@/var/lib/tide/levels").read_bytes() == b"of the past system"
    assert (disk.top / aside / "var/lib/tide/levels").read_bytes() == b"flood"
    assert not (root / PAST_MARK.lstrip("/")).exists()
    assert (root / "etc/fstab").read_text() == "# mine\nLABEL=quay / btrfs subvol=@ 0 0\n"
    again, past = opened(root)
    assert [kept.id for kept in again.all()] == ["first"] and past.listed() == []
    assert Returning(again).interrupted() is None
    assert [one.id for one in Returning(again).set_aside()] == [aside]


def test_what_a_return_has_set_aside_can_be_started_and_is_set_aside_again(system):
    disk, _, past = system
    made = past.make("first")
    subprocess.run(["rm", "-r", disk.top / "@/home/watch"], check=True)
    root = disk.system(made.subvolume)
    subprocess.run(["mount", "-o", f"subvol=@/{STATE}", disk.device, root / STATE], check=True)
    aside = opened(root)[1].keep()
    root = disk.system("@")
    _, past = opened(root)
    taken = past.make(aside)
    assert taken == past.make(aside) and past.listed() == [taken] and taken.was_set_aside
    assert taken.subvolume.startswith("@.as-of-aside-2") and taken.since.startswith("2")
    assert (disk.top / taken.subvolume / "var/lib/tide/levels").read_bytes() == b"flood"
    assert f"subvol=@/{STATE},nofail" in (disk.top / taken.subvolume / "etc/fstab").read_text()
    past.delete(taken.way_back)
    (again,) = Returning(past.snapshots).set_aside()
    assert again.id == aside and past.listed() == []
    assert "nofail" not in (disk.top / aside / "etc/fstab").read_text()
    with pytest.raises(MachineError, match="no such subvolume"):
        past.make("@.before-return-20200101-000000-000000")
    # Started and kept, it is the system of now again.
    taken = past.make(aside)
    root = disk.system(taken.subvolume)
    subprocess.run(["mount", "-o", f"subvol=@/{STATE}", disk.device, root / STATE], check=True)
    opened(root)[1].keep()
    assert (disk.top / "@/var/lib/tide/levels").read_bytes() == b"flood"
    assert [kept.id for kept in opened(disk.system("@"))[0].all()] == ["first"]


STEPS = {
    "swap": btrfs_subvolumes,
    "set_aside": btrfs_swap,
    "move_inner": btrfs_swap,
    "boot_it": btrfs_swap,
    "settle_past": btrfs_swap,
}


@pytest.mark.parametrize("step", STEPS)
def test_keeping_that_is_cut_off_is_finished_after_the_restart(system, step, monkeypatch):
    disk, root, past = system
    made = past.make("first")
    subprocess.run(["rm", "-r", disk.top / "@/home/watch"], check=True)
    root = disk.system(made.subvolume)
    subprocess.run(["mount", "-o", f"subvol=@/{STATE}", disk.device, root / STATE], check=True)
    child = os.fork()
    if child == 0:
        setattr(STEPS[step], step, lambda *words, **named: os._exit(9))
        try:
            opened(root)[1].keep()
        finally:
            os._exit(1)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9
    root = disk.system("@")
    snapshots, past = opened(root)
    returning = Returning(snapshots)
    if step == "swap":
        # Nothing was exchanged: the system of now is where it was, and the past one beside it.
        assert returning.interrupted() is None and not returning.finish_exchange()
        assert (root / "var/lib/tide/levels").read_bytes() == b"flood"
        assert [one.way_back for one in past.listed()] == ["first"]
        return
    assert returning.interrupted() is not None
    assert returning.finish_exchange() and returning.interrupted() is None
    assert (root / "var/lib/tide/levels").read_bytes() == b"low"
    assert not (root / PAST_MARK.lstrip("/")).exists()
    assert "nofail" not in (root / "etc/fstab").read_text()
    assert [kept.id for kept in opened(root)[0].all()] == ["first"]
    (aside,) = returning.set_aside()
    assert (disk.top / aside.id / "var/lib/tide/levels").read_bytes() == b"flood"
