"""What a return reads of what it leaves alone while it is at work, and what that spares later."""

import contextlib
import os
import time
from pathlib import Path

import msgspec
import pytest

from brave_bridge.snapshots.jobs.compare import FolderCompared, FolderComparer
from brave_bridge.snapshots.jobs.comparison import compare, comparison_job
from brave_bridge.snapshots.returns import reading_ahead
from brave_bridge.snapshots.returns.reading_ahead import ReadingAhead
from tests.support.trees import TRIAL, catalogue_at


@pytest.fixture
def tree(tmp_path, monkeypatch):
    """A machine with a few files and a snapshot of them; its comparison by content.

    All is in memory, whether or not its file system is able to say so.
    """
    monkeypatch.setattr(reading_ahead, "_is_there", lambda descriptor, at: True)
    snapshots, returning = catalogue_at(tmp_path)
    for name in ("etc/one", "etc/two", "usr/bin/three"):
        (tmp_path / name).write_text(name)
    first = snapshots.take("first", TRIAL)
    folder = snapshots.folder / "first/root"
    job = comparison_job(tmp_path, snapshots.cover_now(first), folder, by_content=True)
    return returning, first, job, folder


def read_by(job, wanted: set[str]) -> frozenset[str]:
    """What a reader has read, once it has told of these folders or is through."""
    reader = ReadingAhead(job)
    until = time.monotonic() + 60
    while time.monotonic() < until:
        told = os.pread(reader._told, 1 << 20, 0).decode().split("\0")[:-1]
        if wanted <= set(told) or os.waitid(
            os.P_PID, reader._pid, os.WEXITED | os.WNOHANG | os.WNOWAIT
        ):
            break
        time.sleep(0.01)
    return reader.end()


def files_read(job, monkeypatch) -> set[str]:
    """Whose content a comparison in this process reads of what nobody has touched."""
    found = set()
    holds = FolderComparer._holds

    def noted(self, entry, *where) -> bool:
        found.add(entry.path)
        return holds(self, entry, *where)

    with monkeypatch.context() as patch:
        patch.setattr(FolderComparer, "_holds", noted)
        assert not compare(job, helpers=0).count
    return found


def test_what_was_read_is_not_read_again(tree, monkeypatch):
    _, _, job, _ = tree
    assert files_read(job, monkeypatch) >= {"etc/one", "etc/two", "usr/bin/three"}
    read = read_by(job, {"", "etc", "usr", "usr/bin"})
    assert read >= {"", "etc", "usr", "usr/bin"}
    again = msgspec.structs.replace(job, read=read)
    assert files_read(again, monkeypatch) == set()


def test_what_is_written_to_after_it_was_read_is_found(tree, tmp_path):
    returning, first, job, _ = tree
    read = read_by(job, {"etc", "usr/bin"})
    status = (tmp_path / "etc/one").stat()
    (tmp_path / "etc/one").write_text("etc/ONE")
    os.utime(tmp_path / "etc/one", ns=(status.st_atime_ns, status.st_mtime_ns))
    found = returning.preview(first, by_content=True, read={"/": read})
    assert [d.path for d in found.differences] == ["etc/one"]


def test_a_folder_with_a_content_that_is_wrong_is_left_to_the_comparison(tree):
    _, _, job, folder = tree
    manifest = folder / "manifest.jsonl"
    text = manifest.read_text()
    line = next(line for line in text.splitlines() if '"etc/one"' in line)
    what = next(word for word in line.split('"') if word.startswith(("sha256:", "blake2b:")))
    other = what[:-1] + ("0" if what[-1] != "0" else "1")
    manifest.write_text(text.replace(line, line.replace(what, other)))
    read = read_by(job, {"usr/bin"})
    assert "usr/bin" in read and "etc" not in read


def test_a_disk_is_asked_for_nothing(tree, monkeypatch):
    _, _, job, _ = tree
    monkeypatch.setattr(reading_ahead, "_is_there", lambda descriptor, at: False)
    read = read_by(job, set())
    assert not read & {"etc", "usr/bin"}


def test_it_ends_with_whoever_began_it(tree, tmp_path, monkeypatch):
    _, _, job, _ = tree
    ear, mouth = os.pipe()

    def slow(self, item: str) -> FolderCompared:
        time.sleep(0.05)
        return FolderCompared(item, [f"{item}x"])

    monkeypatch.setattr(reading_ahead._Reader, "do", slow)
    if not os.fork():
        os.write(mouth, str(ReadingAhead(job)._pid).encode())
        os._exit(0)
    os.wait()
    reader = int(os.read(ear, 20))
    until = time.monotonic() + 60
    while time.monotonic() < until and os.path.exists(f"/proc/{reader}/cwd"):
        time.sleep(0.02)
    state = "gone"
    with contextlib.suppress(OSError):
        state = Path(f"/proc/{reader}/stat").read_text().rpartition(")")[2].split()[0]
    assert state in ("gone", "Z")


def test_the_lock_of_a_return_is_not_kept_by_what_reads(tree, monkeypatch):
    returning, _, job, _ = tree
    state = returning.machine.state
    monkeypatch.setattr(reading_ahead._Reader, "do", lambda self, item: time.sleep(600))
    held = state.hold("runner.lock")
    reader = ReadingAhead(job)
    try:
        held.close()
        until = time.monotonic() + 60
        while state.is_held("runner.lock") and time.monotonic() < until:
            time.sleep(0.01)
        assert not state.is_held("runner.lock")
    finally:
        assert reader.end() == frozenset()


def test_a_return_needs_nobody_who_reads(tree, tmp_path, monkeypatch):
    returning, first, _, _ = tree

    def refused(job) -> None:
        raise BlockingIOError(11, "no process is left")

    monkeypatch.setattr(reading_ahead, "ReadingAhead", refused)
    (tmp_path / "etc/two").write_text("changed")
    report = returning.restore(first)
    assert report.put_back == 1 and report.read == {"/": frozenset()}
    assert not returning.preview(first, by_content=True, read=report.read).count


def test_a_return_says_what_it_has_read_and_leaves_no_process(tree, tmp_path):
    returning, first, _, _ = tree
    (tmp_path / "etc/two").write_text("changed")
    report = returning.restore(first)
    assert set(report.read) == {"/"}
    assert not returning.preview(first, by_content=True, read=report.read).count
    with pytest.raises(ChildProcessError):
        os.waitpid(-1, os.WNOHANG)
