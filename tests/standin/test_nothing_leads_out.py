"""What a hostile tree, its state or another user's folders hold: it is met, and leads nowhere."""

import json
import os
import shutil
import struct
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import pytest

from brave_bridge.archives.store import IndexStore, store_of
from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.opening import kernel, own_folders
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import write_named
from brave_bridge.machines.opening.trust import others_may_write, why_not_trusted
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Contents, Names
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.engines import mounting
from brave_bridge.snapshots.settings_archive import archive_settings
from tests.support.trees import IS_ROOT, TRIAL

_USER, _GROUP = 2, 8
_NOBODY = 2**32 - 1

only_root = pytest.mark.skipif(not IS_ROOT, reason="only root is told from others here")


@pytest.fixture
def outside(tmp_path) -> Path:
    folder = tmp_path / "outside"
    folder.mkdir()
    (folder / "kept").write_text("kept")
    return folder


def everything(folder: Path) -> dict[str, bytes]:
    return {str(path): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


@pytest.fixture
def snapshots(tmp_path) -> Snapshots:
    root = tmp_path / "root"
    for folder in ("etc", "var/lib"):
        (root / folder).mkdir(parents=True)
    (root / "etc/os-release").write_text("ID=quayside\nVERSION_ID=6\n")
    return Snapshots(TreeMachine("tree", root), "1")


def put(place: Path, kind: str, outside: Path) -> None:
    """What an attacker would put there."""
    place.parent.mkdir(parents=True, exist_ok=True)
    if kind == "pipe":
        os.mkfifo(place)
    elif kind == "folder":
        place.mkdir()
    else:
        place.symlink_to(outside / ("made" if kind == "link to nothing" else "kept"))


KINDS = ("link", "link to nothing", "pipe", "folder")


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("name", ["uses.json", "gone.jsonl", "counter", "taking.lock"])
def test_what_stands_in_the_catalogue_s_place_is_neither_followed_nor_waited_for(
    snapshots, outside, name, kind
):
    before = everything(outside)
    snapshots.take("first", TRIAL)
    place = snapshots.folder / name
    place.unlink(missing_ok=True)
    put(place, kind, outside)
    snapshots.with_uses(snapshots.listed())
    assert snapshots.gone() == []
    try:
        snapshots.take("second", TRIAL)
    except MachineError as error:
        assert name in str(error) and name == "taking.lock"
    snapshots.delete("first", "trial")
    assert [gone.id for gone in snapshots.gone()] == ["first"]
    assert everything(outside) == before


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("path", ["description.toml", "keeping.toml", "root/manifest.jsonl"])
def test_what_stands_in_a_way_back_is_neither_followed_nor_waited_for(
    snapshots, outside, path, kind
):
    snapshots.take("first", TRIAL)
    place = snapshots.folder / "first" / path
    place.unlink(missing_ok=True)
    put(place, kind, outside)
    (kept,) = snapshots.listed()
    assert kept.fault or kept.doubt
    snapshots.keep("first", kept.keeping)
    assert everything(outside) == {str(outside / "kept"): b"kept"}


def test_a_read_goes_beneath_and_no_further(tmp_path, outside, monkeypatch):
    top = tmp_path / "top"
    (top / "a").mkdir(parents=True)
    (top / "a/file").write_text("ours")
    (top / "a/out").symlink_to(outside)
    (top / "a/up").symlink_to("../..")
    for has_openat2 in (True, False):
        monkeypatch.setattr(kernel, "_kernel_has_openat2", has_openat2)
        folder = Beneath(top, "a")
        assert (folder / "file").read(10) == b"ours"
        for leads_out in ("out/kept", "up/outside/kept", "out"):
            with pytest.raises(OSError, match="a link stands in the way"):
                (folder / leads_out).read(10)
        with pytest.raises(OSError, match="a link stands in the way"):
            (folder / "out/new").write(b"x")
        with pytest.raises(OSError, match="longer than 2 bytes"):
            (folder / "file").read(2)
    for name in ("..", "a/../..", "/etc", "", "a//b", "a\0"):
        with pytest.raises(ValueError, match="no path below"):
            Beneath(top) / name
    assert everything(outside) == {str(outside / "kept"): b"kept"}


def test_a_file_that_is_written_replaces_a_link_and_never_what_it_leads_to(tmp_path, outside):
    place = Beneath(tmp_path) / "link"
    place.path.symlink_to(outside / "kept")
    place.write(b"new")
    assert place.path.read_text() == "new" and not place.path.is_symlink()
    assert (outside / "kept").read_text() == "kept"
    write_named(tmp_path / "report.txt", b"told")
    (tmp_path / "mine").symlink_to(tmp_path / "report.txt")
    write_named(tmp_path / "mine", b"told again")
    assert (tmp_path / "report.txt").read_text() == "told again", "where a person points to"
    ear, mouth = os.pipe()
    write_named(f"/dev/fd/{mouth}", b"to whoever reads")
    assert os.read(ear, 100) == b"to whoever reads"
    os.close(ear)
    os.close(mouth)


@only_root
def test_what_is_changed_in_place_is_ours_and_has_no_second_name(tmp_path, outside):
    place = Beneath(tmp_path, ours=True) / "log"
    os.link(outside / "kept", place.path)
    with pytest.raises(PermissionError, match="second name"):
        place.add(b"x")
    place.remove()
    place.add(b"x")
    os.chown(place.path, 1234, 1234)
    for deed in (lambda: place.read(10), lambda: place.add(b"y")):
        with pytest.raises(PermissionError, match="belongs to user 1234"):
            deed()
    assert (outside / "kept").read_text() == "kept"


def give_list(folder: Path, named: tuple[int, int], mask: int) -> None:
    """An access control list (acl(5)): the owner all, user or group 1234 what is named."""
    tag, rights = named
    rows = [
        (1, 7, _NOBODY),
        (4, 7, _NOBODY),
        (tag, rights, 1234),
        (16, mask, _NOBODY),
        (32, 0, _NOBODY),
    ]
    rows.sort()
    content = struct.pack("<I", 2) + b"".join(struct.pack("<HHI", *row) for row in rows)
    os.setxattr(folder, "system.posix_acl_access", content)


@only_root
def test_an_access_list_counts_where_modes_are_judged(tmp_path):
    folder = tmp_path / "folder"
    folder.mkdir(mode=0o755)
    assert not others_may_write(folder, folder.stat()) and not why_not_trusted(folder)
    give_list(folder, (_USER, 7), mask=7)
    assert others_may_write(folder, folder.stat()) and why_not_trusted(folder)
    give_list(folder, (_USER, 5), mask=7)
    assert not others_may_write(folder, folder.stat()), "root's own group is nobody else"
    give_list(folder, (_GROUP, 7), mask=5)
    assert not others_may_write(folder, folder.stat()), "the mask takes it away"


@only_root
def test_a_state_folder_that_a_list_lets_others_write_to_is_not_trusted(snapshots):
    state = snapshots.machine.state
    state.make()
    give_list(state.folder, (_USER, 7), mask=7)
    with pytest.raises(MachineError, match="others can write"):
        state.must_be_trusted()


# The caches of persons


@only_root
def test_root_takes_no_index_out_of_somebody_s_cache(tmp_path, monkeypatch, snapshots):
    home = tmp_path / "wren"
    indices = home / ".cache/brave-bridge/indices"
    indices.mkdir(parents=True)
    for folder in (home, home / ".cache", indices.parent, indices):
        os.chown(folder, 1234, 1234)
    monkeypatch.setenv("HOME", str(home))
    monkeypatch.delenv("XDG_CACHE_HOME", raising=False)
    assert not own_folders.cache_folder().path.is_relative_to(home)
    assert not store_of(snapshots.machine).folder.path.is_relative_to(home)
    monkeypatch.setenv("HOME", "/tmp/nobody-s-home-yet")
    assert not own_folders.cache_folder().path.is_relative_to("/tmp")


@only_root
def test_what_somebody_else_put_into_the_store_is_no_index(tmp_path):
    store = IndexStore(Beneath(tmp_path, "store", ours=True))
    sha256 = store.keep(b"Package: tide\nVersion: 1\n\n")
    assert store.has(sha256)
    os.chown(store.place(sha256).path, 1234, 1234)
    assert not store.has(sha256)
    with pytest.raises(OSError, match="user 1234"):
        store.open(sha256)


def test_letting_go_of_indices_removes_nothing_behind_a_link(tmp_path, outside):
    (tmp_path / "cache").mkdir()
    (tmp_path / "cache/indices").symlink_to(outside)
    os.utime(outside / "kept", (1, 1))
    IndexStore(Beneath(tmp_path / "cache", "indices", ours=True)).let_go(30)
    assert (outside / "kept").read_text() == "kept"


@pytest.fixture
def open_to_others():
    """A folder that anybody may go through, unlike those of the tests."""
    made = Path(tempfile.mkdtemp(dir="/var/tmp"))
    made.chmod(0o755)
    yield made
    shutil.rmtree(made)


def as_somebody_else(look: Callable[[], list[str]]) -> list[str]:
    """What another user's process is given, or why it failed."""
    read_end, write_end = os.pipe()
    child = os.fork()
    if not child:
        os.setgroups([])
        os.setgid(1234)
        os.setuid(1234)
        try:
            answer = look()
        except Exception as error:
            answer = ["failed", repr(error), ""]
        os.write(write_end, json.dumps(answer).encode())
        os._exit(0)
    os.close(write_end)
    with open(read_end) as answers:
        answer = json.load(answers)
    os.waitpid(child, 0)
    return answer


@only_root
@pytest.mark.parametrize("openat2", [True, False])
def test_who_may_go_through_a_folder_need_not_be_let_see_it(open_to_others, monkeypatch, openat2):
    """As on a system that an administrator looks at without being root."""
    monkeypatch.setattr(kernel, "_kernel_has_openat2", openat2)
    path = "/etc/private/inner/file"
    put = open_to_others / path.lstrip("/")
    put.parent.mkdir(parents=True)
    put.write_text("known by its name")
    (open_to_others / "etc/private").chmod(0o711)

    def look() -> list[str]:
        files = FolderFiles("tree", open_to_others)
        seen = files.gather((Contents((path,), 100), Names(("/etc/private/*",))))
        return [files.read(path, 100).decode(), str(seen.text(path)), str(seen.faults)]

    read, gathered, faults = as_somebody_else(look)
    assert read == gathered == "known by its name"
    assert "'/etc/private/*': 'Permission denied'" in faults


# Temporary places


@only_root
def test_what_is_mounted_for_now_stands_where_only_root_can_enter(tmp_path, monkeypatch):
    calls = []
    monkeypatch.setattr(mounting, "tool", lambda *words: calls.append(words) or "")
    monkeypatch.setattr(mounting, "_ABOVE", (str(tmp_path),))
    before = tmp_path / "brave-bridge"
    (before / "mount-999999999-aa").mkdir(parents=True, mode=0o700)
    before.chmod(0o700)
    (before / "mount-999999999-bb").symlink_to("/home")
    with mounting.mounted_for_now("/dev/x") as place:
        assert place.parent == before and len(place.name) > 20
    assert [words[0] for words in calls] == ["umount", "mount", "umount"]
    assert "/home" not in str(calls) and [p.name for p in before.iterdir()] == [
        "mount-999999999-bb"
    ]
    before.chmod(0o777)
    with pytest.raises(OSError, match="others"), mounting.mounted_for_now("/dev/x"):
        pass


# Files of a tree


def test_settings_are_not_archived_from_behind_a_link(snapshots, outside):
    machine = snapshots.machine
    (machine.root / "boot").symlink_to(outside)
    (outside / "loader").mkdir()
    (outside / "loader/secret").write_text("secret")
    (machine.root / "etc/link").symlink_to(outside)
    made = archive_settings(machine, {}, "now")
    index = Path(made.index).read_text()
    assert "etc/os-release" in index and "etc/link\n" in index and "secret" not in index


def test_a_machine_s_file_is_written_where_its_own_links_lead(tmp_path, outside):
    root = tmp_path / "root"
    (root / "usr/etc").mkdir(parents=True)
    (root / "etc").symlink_to("/usr/etc")
    (root / "out").symlink_to("../" * 12 + str(outside).lstrip("/"))
    files = FolderFiles("tree", root)
    files.write("/etc/hosts", b"1")
    files.write("/out/made", b"2")
    files.copy("/etc/hosts", "/out/copy")
    assert (root / "usr/etc/hosts").read_bytes() == b"1" == files.read("/out/copy", 9)
    assert [p.name for p in outside.iterdir()] == ["kept"]


@pytest.mark.parametrize("name", ["demo", ".demo.lock"])
def test_a_pipe_where_the_demo_fleet_belongs_holds_nobody_up(tmp_path, name):
    os.mkfifo(tmp_path / name)
    program = "import sys; from pathlib import Path; from brave_bridge.workbench import demo\n"
    program += "demo.build_demo(Path(sys.argv[1]), pace=0.0)"
    argv = [sys.executable, "-c", program, str(tmp_path / "demo")]
    done = subprocess.run(argv, capture_output=True, text=True, check=False, timeout=300)
    if name == "demo":
        assert done.returncode == 0 and (tmp_path / "demo/ready").exists(), done.stderr
    else:
        assert "not a regular file" in done.stderr and not (tmp_path / "demo").exists()


def said_at_a_restart(root: Path) -> str:
    """What a made-up system says of what keeps it from being restarted."""
    argv = [sys.executable, "-m", "brave_bridge.machines.standin.command", str(root), "--"]
    words = ["systemctl", "reboot"]
    done = subprocess.run([*argv, *words], capture_output=True, text=True, check=False, timeout=300)
    return done.stderr


@pytest.mark.parametrize("kind", ["pipe", "link to it"])
def test_a_command_of_a_made_up_system_waits_for_no_pipe(stand_in, kind, outside):
    root = stand_in("puffin").machine.root
    state = next(root.glob("sys/block/*/device/state"))
    state.unlink()
    os.mkfifo(outside / "pipe")
    os.mkfifo(state) if kind == "pipe" else state.symlink_to(outside / "pipe")
    assert "it is a pipe or a device" in said_at_a_restart(root)


@pytest.mark.parametrize(
    ("place", "target"), [("proc/uptime", "kept"), ("sys/bus", "."), ("sys/block", ".")]
)
def test_a_command_of_a_made_up_system_writes_through_no_link(stand_in, outside, place, target):
    root = stand_in("puffin").machine.root
    before = everything(outside)
    found = root / place
    shutil.rmtree(found) if found.is_dir() else found.unlink()
    found.symlink_to(outside / target)
    assert "it leads out of the stand-in" in said_at_a_restart(root)
    assert everything(outside) == before


CHANGES = """
import os, shutil, sys
from pathlib import Path
from brave_bridge.machines.standin.command import guard_of
root, within = Path(sys.argv[1]), Path(sys.argv[1]) / sys.argv[2]
sys.addaudithook(guard_of(root))
changes = (
    lambda: (within / "made").mkdir(), lambda: (within / "full/kept").unlink(),
    lambda: (within / "empty").rmdir(), lambda: (within / "full").rename(root / "own"),
    lambda: (root / "mine").rename(within / "mine"), lambda: (within / "link").symlink_to("x"),
    lambda: os.link(root / "mine", within / "twin"), lambda: os.chmod(within / "full", 0o700),
    lambda: os.chown(within / "full", 0, 0), lambda: os.utime(within / "full/kept"),
    lambda: os.truncate(within / "full/kept", 0), lambda: shutil.rmtree(within / "full"),
    lambda: os.setxattr(within / "full/kept", "user.seen", b"1"),
    lambda: (within / "full/kept").write_text(""),
    lambda: os.mkdir(os.fsencode(within / "made")),
    lambda: open(os.fsencode(within / "full/kept"), "w"),
)
refused = 0
for change in changes:
    try:
        change()
    except OSError as error:
        refused += "it leads out of the stand-in" in str(error)
print(refused, len(changes))
"""


def filled(folder: Path) -> Path:
    """A folder with one of each kind that could be changed."""
    (folder / "full").mkdir(parents=True)
    (folder / "empty").mkdir()
    (folder / "full/kept").write_text("kept")
    (folder / "mine").write_text("mine")
    return folder


def test_no_change_of_a_made_up_system_goes_through_a_link(tmp_path):
    root, elsewhere = filled(tmp_path / "root"), filled(tmp_path / "elsewhere")
    (root / "out").symlink_to(elsewhere)
    before = everything(elsewhere)
    argv = [sys.executable, "-c", CHANGES, str(root), "out"]
    done = subprocess.run(argv, capture_output=True, text=True, check=True, timeout=300)
    refused, tried = done.stdout.split()
    assert refused == tried and everything(elsewhere) == before


def test_a_made_up_system_may_change_all_that_is_its_own(tmp_path):
    filled(tmp_path / "own")
    filled(tmp_path)
    argv = [sys.executable, "-c", CHANGES, str(tmp_path), "own"]
    done = subprocess.run(argv, capture_output=True, text=True, check=True, timeout=300)
    assert done.stdout.startswith("0 ")
