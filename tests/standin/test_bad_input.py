"""Bad input: each a clear error, the machine unchanged."""

import os
import subprocess
from pathlib import Path

import pytest

from brave_bridge.cli.running import run as run_words
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.machines.standin.signing import make_key
from brave_bridge.machines.tree import open_tree
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from tests.support.runs import begin, carry_out, contents, outcome_of
from tests.support.trees import TRIAL

VENDOR = "archives/quayside/dists/diamond"


def refuse_to_plan(desk: Desk) -> Refused:
    """Planning is refused and changes nothing; the refusal."""
    before = contents(desk.machine.root)
    with pytest.raises(Refused) as refused:
        Plans(desk).make("7")
    assert contents(desk.machine.root) == before
    assert refused.value.remedy
    return refused.value


def test_a_source_that_answers_not_found(own_world):
    desk, folder = own_world
    (folder / VENDOR / "InRelease").unlink()
    assert "the server answers 404" in refuse_to_plan(desk).why


def test_an_unsigned_release_file(own_world):
    desk, folder = own_world
    path = folder / VENDOR / "InRelease"
    text = path.read_text().split("\n\n", 1)[1].split("-----BEGIN PGP SIGNATURE")[0]
    path.write_text(text)
    assert "no key of this machine has signed it" in refuse_to_plan(desk).why


def test_a_wrongly_signed_release_file(own_world):
    desk, folder = own_world
    path = folder / VENDOR / "InRelease"
    text = path.read_text().split("\n\n", 1)[1].split("-----BEGIN PGP SIGNATURE")[0]
    _, sign = make_key("Somebody else <else@example.example>")
    path.write_text(sign(text))
    assert "no key of this machine has signed it" in refuse_to_plan(desk).why


def test_a_release_file_changed_after_signing(own_world):
    desk, folder = own_world
    path = folder / VENDOR / "InRelease"
    path.write_text(path.read_text().replace("Version: 7", "Version: 8"))
    assert "no key of this machine has signed it" in refuse_to_plan(desk).why


def resign(folder: Path, desk: Desk, change) -> None:
    """Sign a changed description with a key that the machine trusts."""
    path = folder / VENDOR / "InRelease"
    text = path.read_text().split("\n\n", 1)[1].split("-----BEGIN PGP SIGNATURE")[0]
    key, sign = make_key("Quayside archive <archive@quayside.example>")
    desk.machine.files.write("/etc/apt/trusted.gpg.d/second.asc", key)
    path.write_text(sign(change(text)))


def test_an_expired_release_file(own_world):
    desk, folder = own_world
    resign(folder, desk, lambda t: "Valid-Until: Tue, 02 Jan 2024 00:00:00 UTC\n" + t)
    assert "was good until" in refuse_to_plan(desk).why


def test_an_index_that_does_not_match_its_checksum(own_world):
    desk, folder = own_world
    index = folder / VENDOR / "main/binary-amd64/Packages"
    index.write_text(index.read_text() + "\n")
    assert "is longer than" in refuse_to_plan(desk).why


def test_indices_of_another_release(own_world):
    desk, folder = own_world
    resign(
        folder,
        desk,
        lambda t: t.replace("Suite: diamond", "Suite: carrick").replace(
            "Codename: diamond", "Codename: carrick"
        ),
    )
    assert "it calls itself carrick" in refuse_to_plan(desk).why


def test_a_package_that_is_damaged_in_the_archive_stops_before_any_change(own_world):
    desk, folder = own_world
    kept = Plans(desk).make("7")
    before = without_lists(desk)
    package = next((folder / "archives/quayside/pool").glob("quay-editor_7*"))
    package.write_bytes(package.read_bytes() + b"x")
    begin(desk, CrossBrief("deb", kept.legs))
    carry_out(desk.machine.root, "petrel", "trial")
    outcome = outcome_of(desk.machine.root, "petrel", "trial")
    assert (outcome.state, outcome.at) == ("stopped", "download")
    assert "Hash Sum mismatch" in outcome.why
    assert without_lists(desk) == before


def without_lists(desk) -> dict:
    """The machine's files but for what was fetched."""
    return {
        p: c
        for p, c in contents(desk.machine.root).items()
        if "/archives/" not in p and not p.startswith("var/lib/apt/lists/")
    }


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting a small file system needs root")
def test_a_full_disk_during_download_stops_before_any_change(own_world):
    desk, _ = own_world
    kept = Plans(desk).make("7")
    cache = desk.machine.root / "var/cache/apt/archives"
    cache.mkdir(parents=True)
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64k", "none", cache], check=True)
    try:
        begin(desk, CrossBrief("deb", kept.legs))
        carry_out(desk.machine.root, "petrel", "trial")
        outcome = outcome_of(desk.machine.root, "petrel", "trial")
    finally:
        subprocess.run(["umount", cache], check=True)
    assert (outcome.state, outcome.at) == ("stopped", "download")
    assert "No space left" in outcome.why
    assert desk.survey().release.key == "5.3"
    assert (
        "bowline-5.3"
        in desk.machine.files.read("/etc/apt/sources.list.d/quayside.sources", 10_000).decode()
    )


@pytest.mark.parametrize(
    ("content", "word"),
    [
        (b"\x00\xff\xfe rubbish", "damaged"),
        (b"Package quay-libc\nVersion 1\n", "damaged"),
        (b"", "names no package"),
    ],
)
def test_a_damaged_package_database(stand_in, content, word):
    desk = stand_in("petrel")
    desk.machine.files.write("/var/lib/dpkg/status", content)
    with pytest.raises(MachineError, match=word):
        desk.survey()


def test_a_missing_package_database(stand_in):
    desk = stand_in("petrel")
    desk.machine.files.remove("/var/lib/dpkg/status")
    with pytest.raises(MachineError, match="reading the package database"):
        desk.survey()


def test_an_unknown_distribution_is_surveyed_and_stopped(stand_in):
    desk = stand_in("petrel")
    desk.machine.files.write("/usr/lib/os-release", b'ID=elsewhere\nVERSION_ID="1"\n')
    findings = {f.id: f for f in desk.survey().findings}
    assert findings["known-release"].verdict.value == "stop"
    with pytest.raises(Refused, match="not in the release catalogue"):
        desk.routes()


def test_a_folder_that_is_no_system(tmp_path):
    with pytest.raises(MachineError, match="it is no system"):
        open_tree(tmp_path)
    with pytest.raises(MachineError, match="no such folder"):
        open_tree(tmp_path / "nowhere")


def test_links_lead_nowhere_outside_the_root(tmp_path):
    root = tmp_path / "root"
    (root / "etc").mkdir(parents=True)
    secret = tmp_path / "secret"
    secret.write_text("outside")
    os.symlink("../../secret", root / "etc/climb")
    os.symlink(str(secret), root / "etc/absolute")
    os.symlink("loop", root / "etc/loop")
    machine = StandInMachine("petrel", root)
    for path in ("/etc/climb", "/etc/absolute", "/../../secret"):
        assert machine.files.read_if_there(path, 100) is None
    with pytest.raises(MachineError, match="symbolic links"):
        machine.files.read("/etc/loop", 100)
    machine.files.write("/etc/climb", b"inside")
    assert secret.read_text() == "outside" and (root / "secret").read_text() == "inside"


def test_a_file_that_is_too_long_or_no_file_is_refused(tmp_path):
    (tmp_path / "etc").mkdir()
    (tmp_path / "etc/long").write_bytes(b"x" * 1000)
    os.mkfifo(tmp_path / "etc/pipe")
    machine = StandInMachine("petrel", tmp_path)
    with pytest.raises(MachineError, match="longer than 10 bytes"):
        machine.files.read("/etc/long", 10)
    assert machine.files.read_if_there("/etc/pipe", 10) is None


def test_writing_keeps_owner_mode_and_attributes(tmp_path):
    path = tmp_path / "file"
    path.write_text("old")
    path.chmod(0o640)
    os.setxattr(path, "user.note", b"kept")
    if os.geteuid() == 0:
        os.chown(path, 12, 34)
    StandInMachine("petrel", tmp_path).files.write("/file", b"new")
    status = path.stat()
    assert path.read_bytes() == b"new" and status.st_mode & 0o7777 == 0o640
    assert os.getxattr(path, "user.note") == b"kept"
    assert os.geteuid() != 0 or (status.st_uid, status.st_gid) == (12, 34)
    assert os.listdir(tmp_path) == ["file"]


NO_ADDRESSES = ("http://mirror]/", "http://[::1/x", "http://a[b]/", "http://\u2100.example/")


@pytest.mark.parametrize("address", NO_ADDRESSES)
def test_what_is_no_address_is_told_and_ends_nothing(own_world, monkeypatch, capsys, address):
    desk, _ = own_world
    extra = desk.machine.root / "etc/apt/sources.list.d/odd.list"
    extra.write_text(f"deb {address} bowline main\ndeb [signed-by=/x] {address}pool ./\n")
    monkeypatch.setattr("brave_bridge.cli.application.Desk", lambda target: desk)
    taken = desk.snapshots.take("first", TRIAL).id
    commands = ("survey", "sources", "route", "tasks", "plan --to 7", "ways-back", "update --list")
    for words in (*commands, f"return {taken} --preview"):
        assert run_words(["--demo", "petrel", *words.split()]) in (0, 1, 10, 20), words
        seen = capsys.readouterr()
        assert seen.out or seen.err
