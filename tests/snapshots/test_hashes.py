"""Hashes that plain tools can check, older ones that stay readable, and files with holes."""

import hashlib
import os
import subprocess

import msgspec
import pytest
from blake3 import blake3

from brave_bridge.snapshots.trees import hashing
from brave_bridge.snapshots.trees.contents import PIECE, Cloner, copy_content, hash_of
from brave_bridge.snapshots.trees.manifest import Manifest
from tests.support.trees import TRIAL, catalogue_at, described, differing, fill, free

INTEL = "processor\t: 0\nflags\t\t: fpu sse4_2 avx2{more} xsave\nvmx flags\t: vnmi\n"
ARM = "processor\t: 0\nFeatures\t: fp asimd aes sha1{more} crc32\n"
POWER = "processor\t: 0\ncpu\t\t: POWER9, altivec supported\n"

KINDS = {
    hashing.SHA256: hashlib.sha256,
    hashing.BLAKE2: lambda content: hashlib.blake2b(content, digest_size=32),
}


@pytest.fixture(params=[hashing.SHA256, hashing.BLAKE2])
def kind(request, monkeypatch) -> str:
    """As on a processor where one of them is quicker; helpers are copies of this process."""
    monkeypatch.setattr(hashing, "quicker_here", lambda: request.param)
    return request.param


@pytest.mark.parametrize(
    ("processor", "quicker"),
    [
        (INTEL.format(more=""), hashing.BLAKE2),
        (INTEL.format(more=" sha_ni"), hashing.SHA256),
        (ARM.format(more=""), hashing.BLAKE2),
        (ARM.format(more=" sha2"), hashing.SHA256),
        (POWER, hashing.SHA256),
        ("", hashing.SHA256),
    ],
)
def test_a_processor_hashes_with_what_it_is_quicker_at(processor, quicker):
    assert hashing.quicker_of(processor) == quicker


def test_where_blake2_is_not_allowed_it_is_not_taken_and_an_old_one_cannot_be_checked(monkeypatch):
    def refused(*_args, **_more):
        raise ValueError("disabled for FIPS")

    was = hashing.hash_of_whole(b"quay", hashing.BLAKE2)
    monkeypatch.setattr(hashlib, "blake2b", refused)
    assert hashing.quicker_here.__wrapped__() == hashing.SHA256
    found = hashing.hash_of_whole(b"quay", was)
    assert found == hashing.UNCHECKED and hashing.is_same(found, was)


def test_coreutils_check_a_copy(tmp_path, kind):
    sums, program = {
        hashing.SHA256: ("SHA256SUMS", "sha256sum"),
        hashing.BLAKE2: ("B2SUMS", "b2sum"),
    }[kind]
    snapshots, _ = catalogue_at(tmp_path)
    fill(tmp_path)
    (tmp_path / "etc/odd\\name\nwith a line").write_text("odd")
    snapshots.take("first", TRIAL)
    folder = snapshots.folder / "first/root"
    assert [path.name for path in folder.glob("*SUMS")] == [sums]
    words = [program, "--check", "--quiet", "--strict", sums]
    done = subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    named = len((folder / sums).read_bytes().splitlines())
    manifest = Manifest(folder / "manifest.jsonl")
    assert named == sum(entry.type == "f" for entry in manifest.entries()) > 5
    (folder / "tree/etc/plain").write_text("other\n")
    done = subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False)
    assert done.returncode == 1 and "tree/etc/plain: FAILED" in done.stdout
    free(tmp_path)


def as_an_older_version_wrote_it(folder) -> None:
    """Give a manifest the hashes that were written before, and its description that of it."""
    lines = []
    for line in (folder / "root/manifest.jsonl").read_bytes().splitlines():
        entry = msgspec.json.decode(line)
        if entry[0] == "f":
            entry[7] = blake3((folder / "root/tree" / entry[1]).read_bytes()).hexdigest()
        lines.append(msgspec.json.encode(entry))
    content = b"\n".join(lines) + b"\n"
    (folder / "root/manifest.jsonl").write_bytes(content)
    text = (folder / "description.toml").read_text()
    before = text[text.index('checksum = "') :].split('"')[1]
    (folder / "description.toml").write_text(text.replace(before, blake3(content).hexdigest()))


def test_a_machine_that_moved_to_another_processor_has_both_kinds(tmp_path, monkeypatch):
    snapshots, returning = catalogue_at(tmp_path)
    for name in ("one", "two"):
        (tmp_path / "etc" / name).write_text(name)
    before = described(tmp_path)
    monkeypatch.setattr(hashing, "quicker_here", lambda: hashing.BLAKE2)
    first = snapshots.take("first", TRIAL)
    monkeypatch.setattr(hashing, "quicker_here", lambda: hashing.SHA256)
    (tmp_path / "etc/one").write_text("ONE")
    second = snapshots.take("second", TRIAL)
    folder = snapshots.folder / "second/root"
    assert b"etc/one" in (folder / "SHA256SUMS").read_bytes()
    assert b"etc/two" in (folder / "B2SUMS").read_bytes()
    for taken in (first, second):
        assert not returning.check(taken).faults
    assert not returning.preview(second, by_content=True).count
    returning.restore(first)
    assert differing(before, described(tmp_path)) == []


def test_an_older_snapshot_is_read_checked_shared_with_and_returned_to(tmp_path, kind):
    snapshots, returning = catalogue_at(tmp_path)
    for name in ("one", "two"):
        (tmp_path / "etc" / name).write_text(name)
    before = described(tmp_path)
    first = snapshots.take("first", TRIAL)
    as_an_older_version_wrote_it(snapshots.folder / "first")
    first = snapshots.find("first")
    assert not returning.check(first).faults
    (tmp_path / "etc/one").write_text("ONE")
    second = snapshots.take("second", TRIAL)
    assert not returning.check(second).faults
    manifest = Manifest(snapshots.folder / "second/root/manifest.jsonl")
    kinds = {path: manifest.entry(path).what.partition(":")[0] for path in ("etc/one", "etc/two")}
    assert kinds["etc/one"] == kind[:-1] and len(kinds["etc/two"]) == 64, "shared, line and all"
    returning.restore(first)
    assert differing(before, described(tmp_path)) == []
    (snapshots.folder / "first/root/tree/etc/one").write_text("spoilt")
    assert returning.check(first).faults == ("/etc/one: 6 bytes where 3 were taken",)


def islands(path, size: int, step: int) -> None:
    with open(path, "wb") as stream:
        for at in range(0, size, step):
            stream.seek(at)
            stream.write(os.urandom(100))
        stream.truncate(size)


@pytest.mark.parametrize("size", [300_000, 40_000_000])
def test_a_file_with_islands_is_copied_as_sparse_as_it_is(tmp_path, size, kind):
    islands(tmp_path / "source", size, 256 << 10)
    source = os.open(tmp_path / "source", os.O_RDONLY)
    target = os.open(tmp_path / "target", os.O_RDWR | os.O_CREAT)
    try:
        status = os.fstat(source)
        what, length = copy_content(source, target, status, Cloner())
        assert (tmp_path / "target").read_bytes() == (tmp_path / "source").read_bytes()
        expected = KINDS[kind]((tmp_path / "source").read_bytes()).hexdigest()
        assert (what, length) == (f"{kind}{expected}", size)
        os.lseek(source, 0, os.SEEK_SET)
        assert hash_of(source) == (what, length)
        assert os.fstat(target).st_blocks <= status.st_blocks + 16
    finally:
        os.close(source)
        os.close(target)


def test_a_terabyte_of_nothing_takes_no_time_and_no_room(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    hole = tmp_path / "var/lib/lastlog"
    with open(hole, "wb") as stream:
        stream.seek(700 << 30)
        stream.write(b"seen on board")
        stream.truncate(1 << 40)
    before = described_shortly(hole)
    first = snapshots.take("first", TRIAL)
    assert not returning.check(first).faults
    assert not returning.preview(first, by_content=True).count
    with open(hole, "r+b") as stream:
        stream.seek(700 << 30)
        stream.write(b"lost overboard")
    assert [d.path for d in returning.preview(first).differences] == ["var/lib/lastlog"]
    returning.restore(first)
    assert described_shortly(hole) == before and hole.stat().st_blocks < 100


def described_shortly(path) -> tuple[int, bytes]:
    with open(path, "rb") as stream:
        stream.seek(700 << 30)
        return path.stat().st_size, stream.read(40)


def test_eight_thousand_names_of_one_file(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    folder = tmp_path / "usr/many"
    folder.mkdir()
    (folder / "0").write_text("one")
    count = 8_000
    for number in range(1, count):
        os.link(folder / "0", folder / str(number))
    first = snapshots.take("first", TRIAL)
    assert not returning.preview(first, by_content=True).count
    (folder / "7").unlink()
    os.link(folder / "0", tmp_path / "usr/extra")
    returning.restore(first)
    assert (folder / "7").stat().st_nlink == count and not (tmp_path / "usr/extra").exists()


@pytest.mark.parametrize("length", [0, 1, 4096, PIECE - 1, PIECE, PIECE + 1, 3 * PIECE])
def test_a_hash_is_of_what_is_there_however_long_it_was_thought_to_be(tmp_path, length, kind):
    content = os.urandom(length)
    (tmp_path / "file").write_bytes(content)
    found = (f"{kind}{KINDS[kind](content).hexdigest()}", length)
    for thought in (0, 1, length, length + 1, max(length - 1, 0), PIECE, 9 * PIECE):
        with open(tmp_path / "file", "rb") as stream:
            assert hash_of(stream.fileno(), size=thought) == found
