"""The full round on real file systems: take, change, compare, return, verify, equal."""

import os
import random
import subprocess
from pathlib import Path

import pytest

from brave_bridge.machines.port import MachineError
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.returning import Returning
from brave_bridge.snapshots.returns.restoration import Restoration
from tests.support import lab
from tests.support.trees import (
    TRIAL,
    described,
    differing,
    fill,
    free,
    is_immutable,
    rough,
    wreck,
)

KINDS = ("ext4", "xfs", "btrfs")


def system_on(mount: Path) -> tuple[Snapshots, Returning]:
    for folder in ("etc", "usr/bin", "home/watch", "var/lib"):
        (mount / folder).mkdir(parents=True, exist_ok=True)
    (mount / "etc/os-release").write_text("ID=quayside\n")
    machine = TreeMachine("system", mount)
    machine.state.make()
    snapshots = Snapshots(machine, "test")
    return snapshots, Returning(snapshots)


@pytest.mark.parametrize("engine", ["", "copy"])
@pytest.mark.parametrize("kind", KINDS)
def test_the_whole_round(tmp_path, kind, engine):
    from brave_bridge.snapshots.description import About

    with lab.disk(tmp_path, kind) as mount:
        snapshots, returning = system_on(mount)
        fill(mount)
        before = described(mount)
        about = About(release="Quayside 5.3", reason="trial", engine=engine)
        first = snapshots.take("first", about)
        assert first.engine == ("btrfs" if kind == "btrfs" and not engine else "copy")
        assert first.parts[0].file_system == kind and first.parts[0].why
        wreck(mount)
        changed = described(mount)
        second = snapshots.take("second", about)
        for snapshot, wanted in ((first, before), (second, changed), (first, before)):
            assert returning.preview(snapshot).count
            returning.restore(snapshot)
            assert differing(wanted, described(mount)) == []
            assert not returning.preview(snapshot, by_content=True).count
            assert not returning.check(snapshot).faults
            assert is_immutable(mount / "etc/fixed")
        used = sum(kept.use.alone for kept in snapshots.with_uses(snapshots.listed()))
        assert used >= 0 and not returning.interrupted()
        free(mount)


@pytest.mark.parametrize("kind", KINDS)
def test_blocks_are_shared_where_the_file_system_can(tmp_path, kind):
    from brave_bridge.snapshots.description import About

    with lab.disk(tmp_path, kind) as mount:
        snapshots, _ = system_on(mount)
        (mount / "usr/large").write_bytes(os.urandom(40_000_000))
        os.sync()
        free_before = os.statvfs(mount).f_bavail * os.statvfs(mount).f_frsize
        snapshots.take("first", About(release="r", reason="r", engine="copy"))
        os.sync()
        taken = free_before - os.statvfs(mount).f_bavail * os.statvfs(mount).f_frsize
        assert (taken < 10_000_000) == (kind in ("xfs", "btrfs")), taken


def test_file_systems_mounted_apart_are_parts_of_their_own(tmp_path):
    with lab.disk(tmp_path / "one", "ext4") as mount:
        snapshots, returning = system_on(mount)
        (mount / "boot").mkdir()
        (mount / "srv/pool").mkdir(parents=True)
        boot_image = tmp_path / "boot.img"
        subprocess.run(["truncate", "-s", "40M", boot_image], check=True)
        subprocess.run(["mkfs.ext4", "-q", boot_image], check=True)
        subprocess.run(["mount", "-o", "loop", boot_image, mount / "boot"], check=True)
        subprocess.run(["mount", "-t", "tmpfs", "none", mount / "srv/pool"], check=True)
        (mount / "boot/vmlinuz-5.19.0-4").write_text("kernel")
        fill(mount)
        taken = snapshots.take("first", TRIAL)
        assert [part.mount for part in taken.parts] == ["/", "/boot"]
        assert "boot" in taken.parts[0].apart
        before = described(mount)
        wreck(mount)
        (mount / "boot/vmlinuz-5.19.0-4").unlink()
        (mount / "boot/vmlinuz-6.1").write_text("newer kernel")
        changed = described(mount)
        assert {"boot/vmlinuz-6.1"} <= {d.path for d in returning.preview(taken).differences}
        # Not mounted: nothing is written into the empty folder below, and it is told how.
        subprocess.run(["umount", mount / "boot"], check=True)
        with pytest.raises(MachineError, match="not mounted") as refused:
            returning.restore(taken)
        assert "mount" in refused.value.remedy and "/boot" in refused.value.remedy
        assert os.listdir(mount / "boot") == []
        subprocess.run(["mount", "-o", "loop", boot_image, mount / "boot"], check=True)
        assert differing(changed, described(mount)) == []
        returning.restore(taken)
        assert differing(before, described(mount)) == []
        free(mount)


def test_kernels_of_one_side_are_complete_at_every_step(tmp_path, monkeypatch):
    """What boots must not lack its modules, whenever the power goes."""
    with lab.disk(tmp_path, "ext4") as mount:
        snapshots, returning = system_on(mount)
        old, new = "5.19.0-4", "6.1.0-9"

        def install(kernel: str) -> None:
            (mount / "boot").mkdir(exist_ok=True)
            (mount / f"usr/lib/modules/{kernel}").mkdir(parents=True)
            (mount / f"usr/lib/modules/{kernel}/gauge.ko").write_text(kernel)
            (mount / f"boot/vmlinuz-{kernel}").write_text(kernel)
            (mount / "boot/loader.conf").write_text(f"default {kernel}\n")

        install(old)
        taken = snapshots.take("first", TRIAL)
        install(new)
        for path in (f"boot/vmlinuz-{old}", f"usr/lib/modules/{old}/gauge.ko"):
            (mount / path).unlink()
        (mount / f"usr/lib/modules/{old}").rmdir()
        seen = []

        def boots() -> bool:
            kernel = (mount / "boot/loader.conf").read_text().split()[1]
            return (mount / f"boot/vmlinuz-{kernel}").exists() and (
                mount / f"usr/lib/modules/{kernel}/gauge.ko"
            ).exists()

        for name in ("add", "replace", "replace_boot", "remove"):
            step = getattr(Restoration, name)

            def watched(self, step=step):
                seen.append(boots())
                step(self)
                seen.append(boots())

            monkeypatch.setattr(Restoration, name, watched)
        returning.restore(taken)
        assert seen == [True] * 8
        assert not (mount / f"boot/vmlinuz-{new}").exists()


@pytest.mark.parametrize("megabytes", [1, 3, 6, 12])
def test_a_disk_that_is_full_during_a_return_loses_nothing(tmp_path, megabytes):
    with lab.disk(tmp_path, "ext4", "120M") as mount:
        snapshots, returning = system_on(mount)
        for number in range(12):
            (mount / f"usr/large-{number}").write_bytes(os.urandom(1_000_000))
        taken = snapshots.take("first", TRIAL)
        for number in range(12):
            (mount / f"usr/large-{number}").write_bytes(b"small")
        changed = described(mount)
        with open(mount / "home/ballast", "wb") as stream:
            free_bytes = os.statvfs(mount).f_bavail * os.statvfs(mount).f_frsize
            os.posix_fallocate(stream.fileno(), 0, free_bytes - megabytes * 1_000_000)
        with open(mount / "home/more", "wb") as stream:
            try:
                while True:
                    stream.write(bytes(100_000))
                    stream.flush()
                    left = os.statvfs(mount).f_bfree * os.statvfs(mount).f_frsize
                    if left < megabytes * 1_000_000:
                        break
            except OSError:
                pass
        try:
            returning.restore(taken)
        except MachineError as error:
            assert "No space left" in error.seen and "untouched" in error.remedy
            assert differing(changed, described(mount)) == []
            assert returning.interrupted() is None
        for name in ("ballast", "more"):
            (mount / "home" / name).unlink()
        returning.restore(taken)
        assert not returning.preview(taken, by_content=True).count


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("kind", KINDS)
def test_any_tree_comes_back_from_anything(tmp_path, kind, seed):
    chance = random.Random(seed)
    with lab.disk(tmp_path, kind) as mount:
        snapshots, returning = system_on(mount)
        rough(mount, chance, 80)
        states = []
        for number in range(3):
            states.append((snapshots.take(f"s{number}", TRIAL), described(mount)))
            rough(mount, chance, 60)
        chance.shuffle(states)
        for snapshot, wanted in states:
            returning.restore(snapshot)
            assert differing(wanted, described(mount)) == []
            assert not returning.check(snapshot).faults
