"""Engines that this kernel cannot run for real: logical volumes and ZFS, by recorded tools."""

import shutil
from pathlib import Path

import msgspec
import pytest

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots import catalogue, taking
from brave_bridge.snapshots.choices import CHOICES, Choices
from brave_bridge.snapshots.engines.choose import ENGINES, choose
from brave_bridge.snapshots.engines.copied import TreeCopyEngine
from brave_bridge.snapshots.engines.engine import MERGE, GivenBack, Mounted, Way
from brave_bridge.snapshots.engines.lvm import LvmEngine, read_volumes
from brave_bridge.snapshots.parts import Layout
from brave_bridge.snapshots.trees.cover import Exclusion
from tests.support.pretended_tools import PretendedTools
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

needs_root = pytest.mark.skipif(not IS_ROOT, reason="showing a volume needs a mount")


@pytest.fixture
def system(tmp_path, monkeypatch):
    """A function that gives a system on a volume or dataset, and its tools."""

    def make(kind: str, device: str, **options):
        root = tmp_path / "root"
        root.mkdir()
        snapshots, returning = catalogue_at(root)
        fill(root)
        free(root)
        tools = PretendedTools(tmp_path / "tools", root, **options)
        monkeypatch.setenv("PATH", tools.path)
        mounted = Mounted("/", root, device, kind, uuid="7d1f-0a52")
        layout = Layout((mounted,), ())
        for module in (catalogue, taking):
            monkeypatch.setattr(module, "layout_of", lambda *words: layout)
        return root, snapshots, returning, tools

    yield make
    free(tmp_path / "root")


@needs_root
@pytest.mark.parametrize("thin", [True, False])
def test_a_volume_from_taking_it_to_letting_it_go(system, thin):
    root, snapshots, returning, tools = system("ext4", "/dev/vg0/system", thin=thin)
    before = described(root)
    taken = snapshots.take("first", TRIAL)
    part = taken.parts[0]
    assert (part.engine, part.place) == ("lvm", "vg0/system-first")
    assert ("pool vg0/pool" in part.why) == thin and taken.bytes_copied == 0
    size = ["--size", "1717986918b"]
    assert tools.calls("lvcreate") == [
        ["--yes", "--snapshot", "--name", "system-first", *([] if thin else size), "vg0/system"]
    ]
    use = snapshots.use(snapshots.kept("first"))
    assert use.room_left == (6871947673 if thin else 1697371075)
    wreck(root)
    ((_, way, why),) = returning.how(taken)
    assert way == "files" and "/home" in why
    assert returning.preview(taken).count
    returning.restore(taken)
    assert differing(before, described(root)) == []
    # Read only, its journal not replayed, whatever else has its UUID.
    assert tools.calls("mount")[0][:2] == ["-o", "ro,noload"]
    snapshots.delete("first", "trial")
    assert tools.calls("lvremove") == [["--yes", "vg0/system-first"]]
    assert "vg0/system-first" not in tools.read()["volumes"]


@needs_root
def test_a_snapshot_that_was_filled_is_lost_and_told(system):
    root, snapshots, returning, tools = system("ext4", "/dev/vg0/system", thin=False)
    taken = snapshots.take("first", TRIAL)
    world = tools.read()
    world["volumes"]["vg0/system-first"] |= {"data_percent": "100.00", "lv_attr": "Swi-I-s---"}
    tools.write(world)
    (root / "etc/plain").write_text("changed")
    with pytest.raises(MachineError, match="was filled, and is lost"):
        returning.restore(taken)
    assert (root / "etc/plain").read_text() == "changed"
    found = returning.check(taken)
    assert "is lost" in found.faults[0] and not snapshots.kept("first").is_whole


@needs_root
def test_a_whole_volume_becomes_its_snapshot(system, tmp_path, monkeypatch):
    """Where nothing on it has to stay: the logbook is elsewhere and so are home folders."""
    root, snapshots, returning, tools = system("xfs", "/dev/vg0/system")
    (root / "home/watch/notes").unlink()
    (root / "home/watch").rmdir()
    elsewhere = tmp_path / "state"
    snapshots.machine.state.folder.rename(elsewhere)
    snapshots.machine.state.folder = elsewhere
    snapshots.own, snapshots.folder = Beneath(elsewhere, "snapshots"), elsewhere / "snapshots"
    taken = snapshots.take("first", TRIAL)
    monkeypatch.setattr(LvmEngine, "way", lambda *words: Way(MERGE, "nothing must stay"))
    assert returning.how(taken)[0][1] == "merge"
    done = returning.restore(taken)
    assert done.restart_needed and done.used_up == ("/",)
    assert tools.calls("lvconvert") == [["--yes", "--merge", "vg0/system-first"]]
    assert snapshots.all() == [] and "made it the file system" in snapshots.gone()[0].why
    assert tools.calls("lvremove") == []


def test_a_dataset_from_taking_it_to_letting_it_go(system):
    root, snapshots, returning, tools = system("zfs", "tank/system")
    CHOICES.change(
        snapshots.machine.state, lambda _: Choices(leave_out=(Exclusion(".zfs", "hidden"),))
    )
    before = described(root)
    taken = snapshots.take("first", TRIAL)
    assert taken.parts[0].place == "tank/system@first" and "tank/system" in taken.parts[0].why
    wreck(root)
    returning.restore(taken)
    after = described(root)
    changed = [path for path in differing(before, after) if not path.startswith(b".zfs")]
    assert changed == []
    kept = snapshots.kept("first")
    assert snapshots.use(kept).alone == 8192
    snapshots.delete("first", "trial")
    assert tools.calls("zfs")[-1] == ["destroy", "tank/system@first"]
    # One that somebody destroyed by hand is told, and deleted without a word.
    snapshots.take("second", TRIAL)
    world = tools.read()
    world["snapshots"] = {}
    tools.write(world)
    shutil.rmtree(root / ".zfs/snapshot/second")
    with pytest.raises(MachineError, match="no snapshot second"):
        returning.preview(snapshots.find("second"))
    snapshots.delete("second", "trial")


def test_each_file_system_gets_the_engine_that_suits_and_the_reason(system, tmp_path):
    root, *_ = system("ext4", "/dev/vg0/system")
    plain = Mounted("/", root, "/dev/sda2", "ext4")
    for mounted, name, word in (
        (plain, "copy", "keeps no snapshots of its own"),
        (Mounted("/", root, "/dev/vg0/system", "ext4"), "lvm", "thin volume"),
        (Mounted("/", root, "tank/system", "zfs"), "zfs", "the pool itself"),
        (Mounted("/", root, "/dev/sda3", "xfs"), "copy", "shares the blocks"),
    ):
        engine, why = choose(mounted, tmp_path)
        assert engine.name == name and word in why
    with pytest.raises(ValueError, match="zfs does not suit /, which is ext4"):
        choose(plain, tmp_path, "zfs")


def test_reports_of_volumes_are_read_or_refused():
    text = (
        '{"report":[{"lv":[{"lv_name":"root","vg_name":"vg","lv_attr":"owi-aos---",'
        '"lv_size":"4194304","data_percent":"","pool_lv":"","origin":"","vg_free":"0"}]}]}'
    )
    (volume,) = read_volumes(text)
    assert (volume.size, volume.filled, volume.is_thin, volume.is_lost) == (
        4194304,
        0,
        False,
        False,
    )
    with pytest.raises(ValueError):
        read_volumes("  Failed to find logical volume")


def test_each_engine_says_how_a_root_is_given_back_by_hand():
    root = Mounted("/", Path("/"), "/dev/sda2", "btrfs", subvolume="/@", uuid="9")
    kept = "/var/lib/brave-bridge/snapshots/s-1/root/tree"
    said = {name: engine.by_hand(root, kept, ["/home", "/srv"]) for name, engine in ENGINES.items()}
    assert said["copy"] == (
        f"rsync -aHAX --delete --exclude=/home --exclude=/srv /mnt{kept}/ /mnt/",
    )
    assert said["btrfs"] == (
        "mkdir /top && mount -o subvolid=5 UUID=9 /top && cd /top",
        "mv @ @.broken",
        f"btrfs subvolume snapshot @.broken{kept} @",
    )
    assert said["lvm"] == said["zfs"] == ()
    assert ENGINES["copy"].by_hand(root, "", []) == ()


class Mirrored(TreeCopyEngine):
    """An engine from elsewhere: all that it does differently is how a part comes back."""

    name, kept = "mirror", "by a mirror"

    def way(self, returned):
        return Way("mirror", "the other half is taken")

    def give_back(self, returned, identifier):
        (returned.mounted.folder / "etc/given-back").write_text(identifier)
        return GivenBack(aside=("half",))


def test_an_engine_is_an_object_that_nothing_else_knows(tmp_path, monkeypatch):
    monkeypatch.setitem(ENGINES, "mirror", Mirrored())
    snapshots, returning = catalogue_at(tmp_path)
    taken = snapshots.take("first", msgspec.structs.replace(TRIAL, engine="mirror"))
    assert taken.parts[0].engine == "mirror" and snapshots.listed()[0].is_whole
    assert returning.how(taken) == [("/", "mirror", "the other half is taken")]
    report = returning.restore(taken)
    assert report.aside == ("half",) and (tmp_path / "etc/given-back").read_text() == "first"
    assert not returning.check(taken).faults
    snapshots.delete("first", "trial")
