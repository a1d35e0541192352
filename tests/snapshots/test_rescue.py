"""The rescue tool: one file of plain Python that does what the full program does."""

import os
import random
import re
import shutil
import signal
import struct
import subprocess
import sys
import time
from pathlib import Path

import pytest

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.snapshots.rescue.build import keep_rescue_tool, write_rescue_tool
from tests.snapshots.test_hashes import as_an_older_version_wrote_it
from tests.support.trees import (
    IS_ROOT,
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
    write_rescue_tool(ours_at(path))
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
    keep_rescue_tool(Beneath(tmp_path))
    assert not place.is_symlink() and place.read_bytes() == whole
    before = place.stat()
    keep_rescue_tool(Beneath(tmp_path))
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
    for _ in range(12):
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
    assert "cannot be read or trusted" in listed.stdout and "Traceback" not in listed.stderr


# What others may have made of it


@pytest.fixture
def system(tmp_path):
    root = tmp_path / "root"
    snapshots, _ = catalogue_at(root)
    (root / "etc/one").write_text("one")
    snapshots.take("first", TRIAL)
    (root / "etc/one").write_text("changed")
    return root, snapshots


def refused(tool, root, *words) -> str:
    done = run(sys.executable, tool, "return", root, "first", "--yes", *words)
    assert done.returncode == 1 and "Traceback" not in done.stderr, done.stderr
    assert (root / "etc/one").read_text() == "changed", "nothing was done"
    return done.stderr


@pytest.mark.skipif(not IS_ROOT, reason="only root is told from others here")
@pytest.mark.parametrize("place", ["", "var/lib/brave-bridge", "snapshots", "first", "first/root"])
@pytest.mark.parametrize("fault", ["mode", "owner", "list"])
def test_what_others_can_have_written_is_not_returned_to(tool, system, place, fault):
    root, snapshots = system
    inner = {"snapshots": snapshots.folder}
    folder = inner.get(place) or (snapshots.folder if "first" in place else root) / place
    if fault == "mode":
        folder.chmod(0o777)
    elif fault == "owner":
        os.chown(folder, 1234, 1234)
    else:
        rows = ((1, 7, 2**32 - 1), (2, 7, 1234), (4, 7, 2**32 - 1), (16, 7, 2**32 - 1))
        content = b"".join(struct.pack("<HHI", *row) for row in (*rows, (32, 0, 2**32 - 1)))
        os.setxattr(folder, "system.posix_acl_access", struct.pack("<I", 2) + content)
    said = refused(tool, root)
    assert "others than root" in said or "there is no way back first" in said


LIES = {
    "no parts": (r"(?s)\[\[parts\]\].*?(?=\[\[exclusions)", ""),
    "no hash": (r"(?m)^checksum = .*$", ""),
    "a hash of no kind": (r'(?m)^checksum = ".*"$', 'checksum = "tide:00"'),
    "another hash": (r'(?m)^checksum = "(\w+):.*"$', r'checksum = "\1:00"'),
    "a huge number": (r"(?m)^number = .*$", "number = " + "9" * 400),
    "no number": (r"(?m)^number = .*$", 'number = "1"'),
    "infinity": (r"(?m)^number = .*$", "number = 1e400"),
    "a list for a text": (r"(?m)^mount = .*$", "mount = []"),
    "no mount": (r"(?m)^mount = .*$", ""),
    "a record": (r"(?m)^folder = .*$", 'folder = {"a": 1}'),
}


@pytest.mark.parametrize("lie", LIES)
def test_a_description_that_lies_is_refused_in_a_sentence(tool, system, lie):
    root, snapshots = system
    file = snapshots.folder / "first/description.toml"
    before = file.read_text()
    file.write_text(re.sub(*LIES[lie], before))
    assert file.read_text() != before
    assert refused(tool, root).count("\n") == 2
    listed = run(sys.executable, tool, "list", root)
    assert "Traceback" not in listed.stderr


def test_no_control_code_of_a_description_reaches_the_terminal(tool, system):
    root, snapshots = system
    file = snapshots.folder / "first/description.toml"
    text = file.read_text().replace('reason = "trial"', 'reason = "\\u001b[2J\\u202etrial"')
    file.write_text(text)
    listed = run(sys.executable, tool, "list", root)
    assert "trial" in listed.stdout and not {"\x1b", "\u202e"} & set(listed.stdout)
    file.write_text(text.replace('folder = "root"', 'folder = "\\u001b]0;x\\u0007"'))
    assert "\x1b" not in refused(tool, root)


@pytest.mark.parametrize("kind", ["link", "pipe"])
@pytest.mark.parametrize("name", ["description.toml", "root/manifest.jsonl", "root/tree"])
def test_nothing_in_a_way_back_leads_out_or_is_waited_for(tool, system, tmp_path, name, kind):
    root, snapshots = system
    place = snapshots.folder / "first" / name
    kept = tmp_path / "elsewhere"
    place.rename(kept)
    if kind == "link":
        place.symlink_to(kept)
    else:
        os.mkfifo(place)
    refused(tool, root)


def test_who_stops_listening_is_told_nothing_and_all_is_back(tool, system):
    root, _ = system
    ear, mouth = os.pipe()
    os.close(ear)
    argv = [sys.executable, "-I", "-S", tool, "return", root, "first", "--yes"]
    done = subprocess.run(argv, stdout=mouth, stderr=subprocess.PIPE, text=True, check=False)
    os.close(mouth)
    assert done.returncode == 0 and done.stderr == ""
    assert (root / "etc/one").read_text() == "one"


def test_hashes_that_nothing_here_can_check_are_not_called_whole(tool, tmp_path):
    root = tmp_path / "root"
    snapshots, _ = catalogue_at(root)
    (root / "etc/one").write_text("one")
    snapshots.take("first", TRIAL)
    as_an_older_version_wrote_it(snapshots.folder / "first")
    checked = run(sys.executable, tool, "verify", root, "first")
    assert checked.returncode == 1 and "nothing here can check" in checked.stdout
    back = run(sys.executable, tool, "return", root, "first", "--yes")
    assert back.returncode == 0 and "nothing here could check" in back.stdout
