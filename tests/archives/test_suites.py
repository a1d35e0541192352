"""Fetching suites over HTTP and from folders: what is taken, and what is refused."""

import os
from datetime import UTC, datetime, timedelta

import pytest

from brave_bridge.archives.download import Downloader
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.store import IndexStore
from brave_bridge.archives.suites import SuiteAsked, SuiteFetched, SuiteFetcher
from brave_bridge.core.formats.packages.deb_index import DebIndex
from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.standin.signing import make_key
from tests.support.archive_server import PACKAGES, PACKERS, ArchiveServer


@pytest.fixture
def server():
    served = ArchiveServer()
    yield served
    served.close()


@pytest.fixture
def fetcher(tmp_path):
    downloader = Downloader(FolderFiles("tree", tmp_path / "root"), Beneath(tmp_path, "partial"))
    yield SuiteFetcher(IndexStore(Beneath(tmp_path, "store")), downloader)
    downloader.close()


def asked(server: ArchiveServer, suite: str = "diamond", **words) -> SuiteAsked:
    given = {
        "uri": server.uri,
        "suite": suite,
        "components": ("main",),
        "architectures": ("amd64",),
        "keyrings": (server.key,),
        **words,
    }
    return SuiteAsked(**given)


def fault(fetcher: SuiteFetcher, wanted: SuiteAsked) -> ArchiveFault:
    (found,) = fetcher.fetch([wanted])
    assert isinstance(found, ArchiveFault), found
    return found


@pytest.mark.parametrize("ending", [".xz", ".gz", ".zst", ""])
@pytest.mark.parametrize("by_hash", [False, True])
def test_a_suite_is_fetched_whatever_its_packing(server, fetcher, ending, by_hash):
    server.publish(ending=ending, by_hash=by_hash)
    (found,) = fetcher.fetch([asked(server)])
    assert isinstance(found, SuiteFetched)
    assert found.release.codename == "diamond" and len(found.signers) == 1
    sha256 = found.indices["main", "amd64"]
    index = DebIndex(*fetcher.store.open(sha256), "amd64", "diamond")
    assert sorted(index.names()) == ["gauge", "tided"]
    assert index.versions("tided")[0].version == "2"


def test_what_is_here_already_is_not_fetched_again(server, fetcher):
    server.publish()
    fetcher.fetch([asked(server)])
    server.asked.clear()
    (found,) = fetcher.fetch([asked(server)])
    assert isinstance(found, SuiteFetched)
    assert [code for _, _, code in server.asked] == [304]


def test_what_was_cut_off_is_gone_on_with(server, fetcher):
    server.publish(os.urandom(200_000).hex().encode())
    server.cut_after = 50_000
    assert fault(fetcher, asked(server)).what == "unreachable"
    server.cut_after = 0
    server.asked.clear()
    (found,) = fetcher.fetch([asked(server)])
    assert isinstance(found, SuiteFetched)
    path, wanted, code = server.asked[-1]
    assert path.endswith("Packages.xz") and code == 206 and wanted == "bytes=50000-"


def test_several_suites_at_a_time_and_a_missing_one_spoils_nothing(server, fetcher):
    for suite in ("diamond", "diamond-security"):
        server.publish(suite=suite)
    first, gone, last = fetcher.fetch(
        [asked(server, name) for name in ("diamond", "nowhere", "diamond-security")]
    )
    assert isinstance(first, SuiteFetched) and isinstance(last, SuiteFetched)
    assert (gone.what, gone.seen) == ("missing", "the server answers 404")


def test_a_signature_of_another_key_is_refused(server, fetcher):
    _, other = make_key("Somebody <else@northlight.example>")
    server.publish(sign=other)
    assert fault(fetcher, asked(server)).what == "signature"
    server.publish(sign=lambda text: text)
    assert fault(fetcher, asked(server)).what == "signature"
    (found,) = fetcher.fetch([asked(server, trusted=True)])
    assert isinstance(found, SuiteFetched) and found.signers == ()


def test_words_around_what_was_signed_do_not_count(server, fetcher):
    """Only the text inside the signature is believed, not what somebody put before it."""
    server.publish()
    path = "/tide/dists/diamond/InRelease"
    server.files[path] = b"Suite: evil\nCodename: evil\n\n" + server.files[path]
    (found,) = fetcher.fetch([asked(server)])
    if isinstance(found, SuiteFetched):
        assert found.release.codename == "diamond"
    else:
        assert found.what == "signature"


def test_a_changed_description_is_refused(server, fetcher):
    server.publish()
    path = "/tide/dists/diamond/InRelease"
    server.files[path] = server.files[path].replace(b"Origin: Tide", b"Origin: Ebb!")
    assert fault(fetcher, asked(server)).what == "signature"


def test_expired_and_future_descriptions_are_refused(server, fetcher):
    server.publish(made=datetime.now(UTC) - timedelta(days=9), days=7)
    assert fault(fetcher, asked(server)).what == "expired"
    server.publish(made=datetime.now(UTC) + timedelta(days=3))
    assert fault(fetcher, asked(server)).what == "expired"


def test_a_description_older_than_one_seen_before_is_refused(server, fetcher):
    server.publish()
    assert isinstance(fetcher.fetch([asked(server)])[0], SuiteFetched)
    server.publish(made=datetime.now(UTC) - timedelta(days=2))
    found = fault(fetcher, asked(server))
    assert found.what == "older" and "was seen before" in found.seen


def test_another_suite_under_that_name_is_refused(server, fetcher):
    server.publish(suite="diamond", Codename="bowline", Suite="bowline")
    found = fault(fetcher, asked(server))
    assert (found.what, found.seen) == ("identity", "it calls itself bowline")


@pytest.mark.parametrize("spoil", ["swapped", "cut", "grown", "bomb"])
def test_an_index_that_is_not_what_was_signed_for_is_refused(server, fetcher, spoil):
    server.publish()
    path = "/tide/dists/diamond/main/binary-amd64/Packages.xz"
    content = server.files[path]
    if spoil == "swapped":
        server.files[path] = bytes(reversed(content))
    elif spoil == "cut":
        server.files[path] = content[:-7]
    elif spoil == "grown":
        server.files[path] = content + b"more"
    else:
        import lzma

        server.files[path] = lzma.compress(bytes(30_000_000))[: len(content)]
    assert fault(fetcher, asked(server)).what in ("checksum", "size", "unreachable")
    assert not list(fetcher.store.folder.path.glob("[0-9a-f]" * 64))


def test_a_file_address_stays_inside_the_machine(tmp_path, server):
    server.publish()
    for path, content in server.files.items():
        place = tmp_path / "root" / path.lstrip("/")
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(content)
    (tmp_path / "root/out").symlink_to("/etc")
    downloader = Downloader(FolderFiles("tree", tmp_path / "root"), Beneath(tmp_path, "partial"))
    fetcher = SuiteFetcher(IndexStore(Beneath(tmp_path, "store")), downloader)
    (found,) = fetcher.fetch([asked(server, uri="file:/tide")])
    assert isinstance(found, SuiteFetched)
    for address in ("file:/../../etc/passwd", "file:/out/passwd", "file:///out/passwd"):
        with pytest.raises(ArchiveFault) as seen:
            downloader.get(address, 1000)
        assert seen.value.what == "missing"
    assert PACKAGES.startswith(b"Package")


def test_hostile_sums_never_become_paths(tmp_path):
    store = IndexStore(Beneath(tmp_path))
    for name in ("../../etc/passwd", "x" * 64, "", "A" * 64):
        with pytest.raises(ValueError, match="not a SHA-256"):
            store.place(name)


def test_the_machines_own_proxy_is_asked(server, tmp_path):
    """The archive stands in for the proxy: it is asked for whole addresses."""
    server.publish()
    host = server.uri.split("/")[2]
    proxies = {"http://": f"http://{host}", f"http://{host}": None}
    files = FolderFiles("tree", tmp_path / "root")
    downloader = Downloader(files, Beneath(tmp_path, "partial"), proxies=proxies)
    fetcher = SuiteFetcher(IndexStore(Beneath(tmp_path, "store")), downloader)
    found = fetcher.fetch([asked(server, uri="http://nowhere.invalid/quayside")])
    downloader.close()
    assert isinstance(found[0], ArchiveFault)
    assert any("nowhere.invalid" in path for path, *_ in server.asked)


def test_a_description_that_was_damaged_in_the_store_is_fetched_anew(server, fetcher):
    server.publish()
    fetcher.fetch([asked(server)])
    (kept,) = fetcher.store.folder.path.glob("*.description")
    kept.write_bytes(kept.read_bytes().replace(b"diamond", b"daemond"))
    (found,) = fetcher.fetch([asked(server)])
    assert isinstance(found, SuiteFetched) and found.release.codename == "diamond"


@pytest.mark.parametrize("ending", [".xz", ".gz", ""])
def test_one_folder_of_packages_that_nobody_describes_is_taken_only_where_it_is_trusted(
    server, fetcher, ending
):
    server.files[f"/tide/./Packages{ending}"] = PACKERS[ending](PACKAGES)
    server.files[f"/tide/Packages{ending}"] = PACKERS[ending](PACKAGES)
    (found,) = fetcher.fetch([asked(server, "./", components=(), trusted=True)])
    assert isinstance(found, SuiteFetched), found
    index = DebIndex(*fetcher.store.open(found.indices["", ""]), "amd64", "")
    assert sorted(index.names()) == ["gauge", "tided"]
    assert fault(fetcher, asked(server, "./", components=())).what == "missing"
