"""A depot of bundles over HTTP: its signed list, a bundle in pieces, what is not believed."""

import contextlib
import hashlib
import json
import os
from contextlib import contextmanager

import pytest

from brave_bridge.archives.download import Downloader
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.standin import images
from brave_bridge.machines.standin.signing import make_detached_key
from brave_bridge.workbench.media import depot
from brave_bridge.workbench.media.bundles import bundles_here, look_into
from brave_bridge.workbench.media.depot import ADDRESS_FILE, depot_address, fetch, offered_by
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from tests.support.archive_server import ArchiveServer


@pytest.fixture
def server():
    server = ArchiveServer()
    yield server
    server.close()


@pytest.fixture
def desk(stand_in, server, monkeypatch, tmp_path):
    """razorbill without a bundle, beside a depot that has two and is reached by a real link."""
    desk = stand_in("razorbill")

    @contextmanager
    def real_link(machine):
        downloader = Downloader(machine.files, Beneath(tmp_path, "partial"))
        yield downloader
        downloader.close()

    monkeypatch.setattr(depot, "downloader_of", real_link)
    desk.machine.files.remove_folder("/srv/pool/bundles")
    line = images.image_line()
    key, sign = make_detached_key(line.key)
    desk.machine.files.write(images.KEY_FILE, key)
    desk.machine.files.write(ADDRESS_FILE, f"{server.uri}\n".encode())
    server.sign_list = sign
    for version in ("8.4", "8.5"):
        server.files[f"/tide/keelstone-{version}.bundle"] = images.bundle_of(line, version, sign)
    publish(server)
    return desk


def publish(server, **changes) -> None:
    """The list of what the depot has."""
    rows = [
        {
            "file": path.rpartition("/")[2],
            "version": path.rpartition("-")[2].removesuffix(".bundle"),
            "serial": number,
            "size": len(content),
            "sha256": hashlib.sha256(content).hexdigest(),
        }
        for number, (path, content) in enumerate(server.files.items(), start=50)
        if path.endswith(".bundle")
    ]
    told = {"schema": 1, "line": "keelstone", "bundles": [row | changes for row in rows]}
    index = json.dumps(told).encode()
    server.files["/tide/index.json"] = index
    server.files["/tide/index.json.asc"] = server.sign_list(index)


def test_a_bundle_is_fetched_and_planned_with(desk, server):
    address = depot_address(desk)
    assert [one.version for one in offered_by(desk, address).bundles] == ["8.4", "8.5"]
    assert bundles_here(desk) == ()
    got = fetch(desk, address, "8.5", lambda words: None)
    assert look_into(desk, got.path).version == "8.5"
    assert Plans(desk).make("8.5").legs[0].leg.end.version == "8.5"


def test_what_was_cut_off_is_gone_on_with(desk, server):
    size = len(server.files["/tide/keelstone-8.5.bundle"])
    server.cut_after = size // 3
    address = depot_address(desk)
    with pytest.raises(Refused, match="keelstone"):
        fetch(desk, address, "8.5", lambda words: None)
    assert bundles_here(desk) == ()
    server.cut_after = 0
    server.asked.clear()
    got = fetch(desk, address, "8.5", lambda words: None)
    asked = [ranged for path, ranged, _ in server.asked if path.endswith("8.5.bundle")]
    assert asked and asked[0].startswith("bytes=") and asked[0] != "bytes=0-"
    assert look_into(desk, got.path).version == "8.5"
    folder = desk.machine.files.place(got.path).parent
    assert [place.name for place in folder.iterdir()] == ["keelstone-8.5.bundle"]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"file": "../../../etc/passwd.bundle"}, "no bundle that could be there"),
        ({"size": -1}, "no version and size that could be true"),
        ({"sha256": "0" * 64}, "not the file that was signed for"),
        ({"size": 10}, "longer than 10 bytes"),
        ({"more": 1}, "no list of bundles"),
    ],
)
def test_a_list_that_lies_is_refused(desk, server, changes, words):
    publish(server, **changes)
    with pytest.raises(Refused) as refusal:
        fetch(desk, depot_address(desk), "8.5", lambda word: None)
    assert words in str(refusal.value)
    assert bundles_here(desk) == ()


@pytest.mark.parametrize("there", ["a link", "a second name", "a pipe", "a link above"])
def test_what_stands_in_the_place_of_a_bundle_s_part_leads_nowhere(desk, server, tmp_path, there):
    digest = hashlib.sha256(server.files["/tide/keelstone-8.5.bundle"]).hexdigest()
    outside, storage = tmp_path / "outside", desk.machine.files.place("/srv/image/bundles")
    outside.mkdir()
    (outside / "kept").write_text("kept")
    storage.mkdir(parents=True, exist_ok=True)
    part = storage / f"keelstone-8.5.bundle.{digest[:16]}.part"
    if there == "a link":
        part.symlink_to(outside / "made")
    elif there == "a second name":
        os.link(outside / "kept", part)
    elif there == "a pipe":
        os.mkfifo(part)
    else:
        storage.rmdir()
        storage.symlink_to(outside)
    with contextlib.suppress(Refused):
        fetch(desk, depot_address(desk), "8.5", lambda words: None)
    assert [p.name for p in outside.iterdir()] == ["kept"]
    assert (outside / "kept").read_text() == "kept"


def test_a_list_of_nobody_whom_the_machine_knows_is_refused(desk, server):
    _, server.sign_list = make_detached_key("Somebody <somebody@example.org>")
    publish(server)
    with pytest.raises(Refused, match="no key of this machine has signed it"):
        offered_by(desk, depot_address(desk))
    del server.files["/tide/index.json.asc"]
    with pytest.raises(Refused, match="404"):
        offered_by(desk, depot_address(desk))


def test_what_the_depot_does_not_have_is_told_with_what_it_has(desk):
    with pytest.raises(Refused, match=r"the depot has 8\.4, 8\.5"):
        fetch(desk, depot_address(desk), "9", lambda words: None)
    desk.machine.files.remove(ADDRESS_FILE)
    with pytest.raises(Refused, match="names no depot"):
        depot_address(desk)
