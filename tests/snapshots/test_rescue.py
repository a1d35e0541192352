"""The rescue tool: one file of plain Python that does what the full program does."""

import os
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from brave_bridge.snapshots.rescue.build import keep_rescue_tool, write_rescue_tool
from tests.snapshots.test_hashes import as_an_older_version_wrote_it
from tests.support.trees import (
    TRIAL,
    catalogue_at,
    described,
    differing,
    fill,
    free,
    rough,
    wreck,
)

PYTHONS = sorted(
    {
        str(path)
        for pattern in ("/usr/bin/python3.*", "/root/.pyenv/versions/3.*/bin/python3")
        for path in Path("/").glob(pattern.lstrip("/"))
        if path.name == "python3" or path.name.removeprefix("python3.").isdigit()
    }
    | {sys.executable}
)
"""Every Python here that the tool says it runs on."""


def is_old(python: str) -> bool:
    said = subprocess.run(
        [python, "-c", "import sys; print(sys.version_info >= (3, 7))"],
        capture_output=True,
        text=True,
        check=False,
    )
    return said.stdout.strip() != "True"


@pytest.fixture(scope="module")
def tool(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("tool") / "brave-bridge-rescue"
    write_rescue_tool(path)
    assert path.stat().st_size < 300_000
    return path


@pytest.mark.parametrize("there", ["of another version", "cut", "empty", "a link", "a pipe"])
def test_whatever_stands_in_its_place_it_is_the_tool_of_this_version_and_whole(
    tool, tmp_path, there
):
    whole, place = tool.read_bytes(), tmp_path / tool.name
    if there == "a link":
        place.symlink_to("/dev/zero")
    elif there == "a pipe":
        os.mkfifo(place)
    else:
        older = whole.replace(b"made of ", b"made of 0", 1)
        place.write_bytes({"of another version": older, "cut": whole[:-900], "empty": b""}[there])
        # Whoever brought it, its time tells nothing.
        os.utime(place, (4e9, 4e9))
    keep_rescue_tool(tmp_path)
    assert not place.is_symlink() and place.read_bytes() == whole
    before = place.stat()
    keep_rescue_tool(tmp_path)
    assert place.stat() == before, "what is current is left alone"


def run(python: str, tool: Path, *words: object) -> subprocess.CompletedProcess:
    # Isolated: nothing of this environment's packages may be there for it.
    return subprocess.run(
        [python, "-I", "-S", tool, *(str(word) for word in words)],
        capture_output=True,
        text=True,
        check=False,
        stdin=subprocess.DEVNULL,
    )


@pytest.mark.parametrize("python", [p for p in PYTHONS if not is_old(p)])
def test_it_lists_verifies_and_returns_as_the_full_program_does(tool, python, tmp_path):
    root = tmp_path / "root"
    snapshots, returning = catalogue_at(root)
    fill(root)
    before = described(root)
    first = snapshots.take("first", TRIAL)
    wreck(root)
    listed = run(python, tool, "list", root)
    assert listed.returncode == 0 and "first" in listed.stdout and "trial" in listed.stdout
    assert run(python, tool, "verify", root, "first").returncode == 0
    unasked = run(python, tool, "return", root, "newest")
    assert unasked.returncode == 1 and "--yes" in unasked.stderr and unasked.stderr.count("\n") == 2
    assert differing(before, described(root)) != []
    done = run(python, tool, "return", root, "newest", "--yes")
    assert done.returncode == 0, done.stderr
    assert differing(before, described(root)) == []
    assert not returning.preview(first, by_content=True).count
    assert not returning.interrupted()
    free(root)


def test_rough_trees_come_back_alike_by_both(tool, tmp_path):
    root = tmp_path / "root"
    snapshots, returning = catalogue_at(root)
    chance = random.Random(7)
    rough(root, chance, 60)
    before = described(root)
    first = snapshots.take("first", TRIAL)
    for number in range(6):
        rough(root, chance, 60)
        if number % 2:
            returning.restore(first)
        else:
            assert run(sys.executable, tool, "return", root, "first", "--yes").returncode == 0
        assert differing(before, described(root)) == []
    free(root)


def test_it_is_killed_and_run_again_at_will(tool, tmp_path):
    root = tmp_path / "root"
    snapshots, returning = catalogue_at(root)
    chance = random.Random(3)
    rough(root, chance, 60)
    before = described(root)
    first = snapshots.take("first", TRIAL)
    rough(root, chance, 60)
    began = time.monotonic()
    assert run(sys.executable, tool, "return", root, "first", "--yes").returncode == 0
    whole, killed = time.monotonic() - began, 0
    for _ in range(25):
        rough(root, chance, 60)
        process = subprocess.Popen(
            [sys.executable, "-I", "-S", tool, "return", root, "first", "--yes"],
            stdout=subprocess.DEVNULL,
        )
        time.sleep(whole * chance.uniform(0.1, 0.9))
        killed += process.poll() is None
        process.send_signal(signal.SIGKILL)
        process.wait()
        # Whoever comes next, of the two, finishes it.
        if chance.random() < 0.5:
            returning.restore(first)
        else:
            done = run(sys.executable, tool, "return", root, "first", "--yes")
            assert done.returncode == 0, done.stderr
        assert differing(before, described(root)) == []
    assert killed > 3 and not returning.check(first).faults
    free(root)


def test_damage_is_named_and_nothing_is_done_unless_it_is_to_be_left_out(tool, tmp_path):
    root = tmp_path / "root"
    snapshots, _ = catalogue_at(root)
    for name in ("one", "two", "three"):
        (root / "etc" / name).write_text(name)
    snapshots.take("first", TRIAL)
    for name in ("one", "two", "three"):
        (root / "etc" / name).write_text("changed")
    (snapshots.folder / "first/root/tree/etc/two").write_text("???")
    checked = run(sys.executable, tool, "verify", root, "first")
    assert checked.returncode == 1 and "/etc/two: its content is not" in checked.stdout
    refused = run(sys.executable, tool, "return", root, "first", "--yes")
    assert refused.returncode == 1 and "/etc/two" in refused.stderr
    assert (root / "etc/one").read_text() == "changed", "nothing was done"
    done = run(sys.executable, tool, "return", root, "first", "--yes", "--skip-damaged")
    assert done.returncode == 0 and "/etc/two" in done.stdout
    assert [(root / "etc" / name).read_text() for name in ("one", "two", "three")] == [
        "one",
        "changed",
        "three",
    ]


def test_an_older_copy_is_returned_to_without_its_hash(tool, tmp_path):
    root = tmp_path / "root"
    snapshots, _ = catalogue_at(root)
    (root / "etc/one").write_text("one")
    snapshots.take("first", TRIAL)
    as_an_older_version_wrote_it(snapshots.folder / "first")
    # As long as before: only the content tells.
    (root / "etc/one").write_text("two")
    done = run(sys.executable, tool, "return", root, "first", "--yes")
    assert done.returncode == 0, done.stderr
    assert (root / "etc/one").read_text() == "one"


def test_state_and_descriptions_are_hostile_here_too(tool, tmp_path):
    root, outside = tmp_path / "root", tmp_path / "outside"
    snapshots, _ = catalogue_at(root)
    outside.mkdir()
    (outside / "kept").write_text("kept")
    (root / "etc/one").write_text("one")
    snapshots.take("first", TRIAL)
    file = snapshots.folder / "first/description.toml"
    text = file.read_text()
    for lie in ('folder = "../../../../outside"', 'folder = "/outside"'):
        file.write_text(text.replace('folder = "root"', lie))
        assert run(sys.executable, tool, "return", root, "first", "--yes").returncode == 1
    file.write_text(text)
    shutil.rmtree(snapshots.folder / "first/root/tree/etc")
    os.symlink(outside, snapshots.folder / "first/root/tree/etc")
    assert run(sys.executable, tool, "return", root, "first", "--yes").returncode in (0, 1)
    assert (outside / "kept").read_text() == "kept"
    file.write_text("nonsense")
    listed = run(sys.executable, tool, "list", root)
    assert "cannot be read" in listed.stdout and "Traceback" not in listed.stderr
