"""Image bundles: read as a stream, and whatever is not as it must be is refused in bounds."""

import hashlib
import io
import json
import tarfile
import tracemalloc

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.archives.bundle import BundleReader
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.images.manifest import (
    MANIFEST,
    SIGNATURE,
    ManifestFault,
    read_manifest,
)
from brave_bridge.machines.standin.images import tar_of as tar
from tests.support.bundles import CONTENTS, KEY, bundle, make_detached_key, manifest_of
from tests.support.bundles import members_of as members


def taken(content: bytes | io.BufferedIOBase, newest: int = 0, line: str = "keelstone"):
    """What a bundle gave: its manifest, and the content of each component."""
    stream = io.BytesIO(content) if isinstance(content, bytes) else content
    reader = BundleReader(stream, [KEY], line, newest)
    announced = reader.announced()
    found: dict[str, bytes] = {}

    def take(component, piece: bytes) -> None:
        found[component.name] = found.get(component.name, b"") + piece

    reader.components(announced.manifest, take)
    return announced, found


def refused(content, what: str, words: str = "", **how) -> ArchiveFault:
    with pytest.raises(ArchiveFault) as told:
        taken(content, **how)
    assert told.value.what == what and words in str(told.value), str(told.value)
    return told.value


def test_what_is_as_it_should_be_is_taken_whole():
    announced, found = taken(bundle())
    assert found == CONTENTS and announced.manifest.build == "8.4-2206"
    assert len(announced.signed_by) == 1
    assert taken(bundle(), newest=40)[0].manifest.serial == 40


class Endless(io.RawIOBase):
    """The beginning of a bundle, and then zeros or noise without an end; counts what is read."""

    def __init__(self, beginning: bytes, then: bytes) -> None:
        self.beginning = io.BytesIO(beginning)
        self.then = then
        self.given = 0

    def read(self, count: int = -1) -> bytes:
        piece = self.beginning.read(count) or self.then * (count // len(self.then) + 1)
        self.given += len(piece[:count])
        return piece[:count]


def huge(name: str, size: int, kind: bytes = b"0") -> bytes:
    entry = tarfile.TarInfo(name)
    entry.size, entry.type = size, kind
    return entry.tobuf(format=tarfile.GNU_FORMAT)[:512]


def test_a_manifest_of_a_gigabyte_is_not_read():
    stream = Endless(huge(MANIFEST, 1 << 30), b"{")
    refused(stream, "size", "at most")
    assert stream.given <= 1024


def test_headers_that_carry_more_headers_are_no_members():
    for kind in (b"x", b"g", b"L", b"K"):
        stream = Endless(huge("name", 1 << 32, kind), b"a")
        refused(stream, "format", "no regular file")
        assert stream.given <= 1024


@pytest.mark.parametrize(
    "kind", [tarfile.SYMTYPE, tarfile.LNKTYPE, tarfile.DIRTYPE, tarfile.CHRTYPE]
)
def test_links_folders_and_devices_are_no_members(kind):
    entry = tarfile.TarInfo("components/base")
    entry.type, entry.linkname = kind, "/etc/shadow"
    header = entry.tobuf(format=tarfile.USTAR_FORMAT)
    head = tar(members(manifest_of())[:2])[:-10240]
    refused(head.rstrip(b"\0") + bytes(-len(head.rstrip(b"\0")) % 512) + header, "format")


@pytest.mark.parametrize(
    "name", ["../base", "/etc/passwd", "components/../../base", "components/x"]
)
def test_a_name_that_leads_elsewhere_is_not_followed(name):
    changed = members(manifest_of())
    changed[2] = (name, CONTENTS["base"])
    refused(tar(changed), "format", "components/base comes next")


def test_a_name_in_the_manifest_that_leads_elsewhere_is_refused():
    evil = manifest_of()
    evil["components"][0]["name"] = "../../etc/cron.d/base"
    refused(tar(members(evil)), "format", "no name")


def test_sizes_and_sums_that_lie_are_found():
    lying = manifest_of()
    lying["components"][0]["size"] += 1
    refused(tar(members(lying)), "size", "were announced")
    other = dict(CONTENTS) | {"kernel": CONTENTS["kernel"][:-1] + b"!"}
    refused(tar(members(manifest_of(), other)), "checksum", "components/kernel")
    refused(bundle()[: -10240 - 20000], "size", "ends")
    refused(bundle()[:700], "size")
    refused(b"", "size")
    refused(b"x" * 4096, "format", "no tar")


def test_what_nobody_announced_is_refused():
    refused(tar([*members(manifest_of()), ("components/more", b"x")]), "format", "nobody announced")
    without = members(manifest_of())[:-1]
    refused(tar(without), "format", "components/tools comes next")


def test_who_is_not_known_has_signed_nothing():
    _, strange = make_detached_key("Nobody <nobody@example.org>")
    refused(tar(members(manifest_of(), sign=strange)), "signature")
    good = members(manifest_of())
    changed = good[0][1].replace(b"8.4-2206", b"8.4-6666")
    refused(tar([(MANIFEST, changed), *good[1:]]), "signature")
    refused(tar([good[0], (SIGNATURE, b"nothing"), *good[2:]]), "signature")
    refused(tar([good[1], good[0], *good[2:]]), "format", "no bundle")


def test_an_older_one_is_not_taken_for_a_newer_one():
    refused(bundle(), "older", "41 was here already", newest=41)
    refused(bundle(line="halyard"), "identity", "not for keelstone")


def test_a_bomb_passes_in_pieces():
    size = 300 << 20
    zeros = hashlib.sha256()
    for _ in range(300):
        zeros.update(bytes(1 << 20))
    big = manifest_of()
    big["components"] = [big["components"][0] | {"size": size, "sha256": zeros.hexdigest()}]
    big["profiles"] = [{"name": "full", "about": "", "components": ["base"]}]
    head = tar(members(big)[:2])
    head = head[: len(head) // 512 * 512].rstrip(b"\0")
    stream = Endless(head + bytes(-len(head) % 512) + huge("components/base", size), bytes(1 << 16))
    reader = BundleReader(stream, [KEY], "keelstone")
    tracemalloc.start()
    reader.components(reader.announced().manifest, lambda component, piece: None)
    assert tracemalloc.get_traced_memory()[1] < 12 << 20
    tracemalloc.stop()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"schema": 2}, "format 2"),
        ({"serial": 0}, "serial"),
        ({"components": []}, "0 components"),
        ({"profiles": []}, "no profile"),
        ({"profiles": [{"name": "full", "about": "", "components": ["gone"]}]}, "'gone'"),
        ({"profiles": [{"name": "full", "about": "", "components": []}]}, "nothing"),
        ({"version": "8.4 && reboot"}, "no version"),
        ({"line": "Keelstone\n"}, "no name"),
        ({"more": 1}, "unknown field"),
        ({"components": [manifest_of()["components"][0]] * 2}, "twice"),
        ({"components": [manifest_of()["components"][0] | {"size": 1 << 40}]}, "larger"),
        ({"components": [manifest_of()["components"][0] | {"size": -1}]}, "no size"),
    ],
)
def test_a_manifest_that_makes_no_sense_is_refused(change, words):
    with pytest.raises(ManifestFault, match=words):
        read_manifest(json.dumps(manifest_of() | change).encode())


@given(
    st.recursive(
        st.none() | st.integers() | st.text(), lambda x: st.lists(x) | st.dictionaries(st.text(), x)
    )
)
def test_no_json_makes_it_fall_over(value):
    with pytest.raises(ManifestFault):
        read_manifest(json.dumps(value).encode())


@given(st.binary(max_size=3000))
def test_no_bytes_make_it_fall_over(content):
    with pytest.raises(ArchiveFault):
        taken(content)
    with pytest.raises(ManifestFault):
        read_manifest(content)


@given(st.integers(0, len(bundle()) - 1), st.integers(0, 255))
def test_no_change_of_a_byte_is_taken(place, byte):
    whole = bytearray(bundle())
    if whole[place] == byte:
        return
    whole[place] = byte
    try:
        _, found = taken(bytes(whole))
    except ArchiveFault:
        return
    # What is not of a member's name, size, sum or content is nobody's: owners, times, padding.
    assert found == CONTENTS
