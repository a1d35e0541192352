"""The modules in an initial file system, and what a kernel lacks there to come to its root."""

import bz2
import contextlib
import gzip
import lzma
import struct

import lz4.block
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.crossing.replies import DriversAtStart
from brave_bridge.core.crossing.requests import LookIntoInitrd, Restart
from brave_bridge.core.formats.initial_file_system import modules_in
from brave_bridge.core.formats.packing import PackingError
from brave_bridge.core.kernels.starting import missing_at_start, module_paths
from tests.core.test_cross_script import crossed_facts
from tests.core.test_restart_script import NEW, Restarting, cross, up

FOLDER = "usr/lib/modules/6.1/kernel"
DEP = """kernel/fs/ext4/ext4.ko: kernel/fs/jbd2/jbd2.ko
kernel/drivers/block/virtio_blk.ko.xz:
kernel/drivers/scsi/hv_storvsc.ko:
kernel/drivers/gpu/drm/drm.ko:
"""


def member(name: str, content: bytes = b"") -> bytes:
    head = b"070701" + b"".join(
        b"%08X" % number
        for number in (1, 0o100644, 0, 0, 1, 0, len(content), 0, 0, 0, 0, len(name) + 1, 0)
    )
    named = head + name.encode() + b"\0"
    return named + b"\0" * (-len(named) % 4) + content + b"\0" * (-len(content) % 4)


def archive(*names: str) -> bytes:
    return b"".join(member(name, b"ELF" * 50) for name in names) + member("TRAILER!!!")


def lz4_legacy(content: bytes) -> bytes:
    block = lz4.block.compress(content, store_size=False)
    return b"\x02\x21\x4c\x18" + struct.pack("<I", len(block)) + block


PACKINGS = {
    "plain": lambda content: content,
    "gzip": gzip.compress,
    "xz": lzma.compress,
    "bzip2": bz2.compress,
    "zstd": lambda content: zstandard.ZstdCompressor().compress(content),
    "lz4": lz4_legacy,
}


@pytest.mark.parametrize("packing", PACKINGS)
def test_the_modules_are_told_whatever_packs_them(packing):
    main = archive("init", f"{FOLDER}/fs/ext4/ext4.ko", f"{FOLDER}/drivers/block/virtio-blk.ko.xz")
    early = archive("kernel/x86/microcode/GenuineIntel.bin")
    initrd = early + b"\0" * 372 + PACKINGS[packing](main + b"\0" * 512 + archive("late.ko"))
    assert modules_in(initrd) == {"ext4", "virtio_blk", "late"}


UNREADABLE = {
    "another packing": b"\x89LZO\0\r\n",
    "none": b"an initial file system that is none",
    "cut off": archive("a.ko")[:-60],
    "cut off while packed": gzip.compress(archive("a.ko"))[:40],
    "no archive in it": gzip.compress(b"no archive"),
    "a damaged header": b"070701" + b"z" * 104,
}


@pytest.mark.parametrize("what", UNREADABLE)
def test_what_cannot_be_read_is_not_taken_for_empty(what):
    with pytest.raises(PackingError):
        modules_in(UNREADABLE[what])


@given(st.binary(max_size=400), st.integers(0, 300))
def test_damage_is_told_and_never_anything_else(noise, at):
    whole = gzip.compress(archive("one.ko"))
    with contextlib.suppress(PackingError):
        modules_in(whole[:at] + noise + whole[at + len(noise) :])


def lacking(root="ext4", there=(), loaded=(), before=()) -> list[str]:
    return list(missing_at_start(root, module_paths(DEP), set(there), set(loaded), set(before)))


def test_the_driver_of_the_root_s_file_system_is_needed_where_it_is_a_module():
    assert lacking() == ["ext4"]
    assert lacking(there=("ext4",)) == [] and lacking("xfs") == []
    assert lacking("overlay") == []


def test_the_drivers_of_its_disks_are_known_from_what_came_up():
    used = ("virtio_blk", "drm", "hv_storvsc")
    assert lacking(there=("ext4",), loaded=used, before=("virtio_blk", "drm")) == ["virtio_blk"]
    assert lacking(there=("ext4",), loaded=(), before=("virtio_blk",)) == []


def restarting(reply) -> tuple[Restarting, object]:
    machine = Restarting(up(crossed_facts(), NEW, "b"))
    machine.instead(lambda r: isinstance(r, LookIntoInitrd), reply)
    return machine, cross(machine)


def test_a_kernel_that_would_not_find_its_root_is_not_restarted_into():
    machine, outcome = restarting(DriversAtStart(("ext4",)))
    assert not any(isinstance(request, Restart) for request in machine.asked)
    assert (outcome.state, outcome.at) == ("failed", "restart")
    assert "has no ext4: no way to the root" in outcome.why


def test_what_could_not_be_looked_into_is_no_fault():
    machine, outcome = restarting(DriversAtStart((), "packed in a way that is not known"))
    assert any(isinstance(request, Restart) for request in machine.asked)
    assert outcome.state == "done"
