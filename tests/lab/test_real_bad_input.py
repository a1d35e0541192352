"""The real package manager on bad archives: each a clear refusal, the tree untouched.

A server on this machine plays the distribution's mirror for the next release.
"""

import functools
import http.server
import shutil
import subprocess
import threading
from pathlib import Path

import pytest

from brave_bridge.machines.standin.packages import PackageFile, Suite, write_archive
from brave_bridge.machines.standin.signing import make_key
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target
from tests.support import lab
from tests.support.runs import begin, carry_out_on

pytestmark = pytest.mark.xdist_group("bad archives")


class _Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *words) -> None:
        pass


@pytest.fixture
def mirror(tmp_path):
    """A folder served as an archive, and its address."""
    folder = tmp_path / "mirror/debian"
    folder.mkdir(parents=True)
    handler = functools.partial(_Quiet, directory=str(folder.parent))
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield folder, f"http://127.0.0.1:{server.server_port}/debian"
    server.shutdown()
    server.server_close()


NEXT = Suite(
    "Debian",
    "bookworm",
    "12",
    (
        PackageFile(
            {
                "Package": "rsyslog",
                "Version": "9:1",
                "Architecture": "amd64",
                "Maintainer": "nobody <nobody@example.example>",
                "Installed-Size": "10",
                "Section": "admin",
                "Priority": "optional",
                "Description": "for a test",
            },
            {"/usr/share/doc/rsyslog/about": b"x\n"},
            (),
            {},
            {},
        ),
    ),
)


@pytest.fixture
def tree(bullseye, mirror, tmp_path, monkeypatch):
    """The Debian tree on an overlay, all its sources pointing at that mirror; key and signer."""
    folder, uri = mirror
    # What was fetched once, and is the very file that is signed for, is not fetched again.
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    key, sign = make_key("Archive for a test <archive@example.example>")
    with lab.overlay(bullseye, tmp_path / "layers") as root:
        (root / "etc/apt/sources.list").write_text(f"deb {uri} bullseye main\n")
        (root / "etc/apt/sources.list.d/security.sources").unlink(missing_ok=True)
        (root / "etc/apt/trusted.gpg.d/test.asc").write_bytes(key)
        write_archive(folder, {"bookworm": NEXT}, sign)
        yield root, folder, sign


def desk_of(root: Path) -> Desk:
    return Desk(Target("tree", str(root)), TreeMachine("heron", root))


def signed_text(folder: Path) -> str:
    text = (folder / "dists/bookworm/InRelease").read_text()
    return text.split("\n\n", 1)[1].split("-----BEGIN PGP SIGNATURE")[0]


def not_found(folder: Path, sign) -> None:
    (folder / "dists/bookworm/InRelease").unlink()


def unsigned(folder: Path, sign) -> None:
    (folder / "dists/bookworm/Release").write_text(signed_text(folder))
    (folder / "dists/bookworm/InRelease").unlink()


def wrongly_signed(folder: Path, sign) -> None:
    _, other = make_key("Somebody else <else@example.example>")
    (folder / "dists/bookworm/InRelease").write_text(other(signed_text(folder)))


def expired(folder: Path, sign) -> None:
    text = "Valid-Until: Tue, 02 Jan 2024 00:00:00 UTC\n" + signed_text(folder)
    (folder / "dists/bookworm/InRelease").write_text(sign(text))


def wrong_checksum(folder: Path, sign) -> None:
    index = folder / "dists/bookworm/main/binary-amd64/Packages"
    index.write_text(index.read_text().replace("for a test", "for a tesT"))


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (not_found, "the server answers 404"),
        (unsigned, "nobody has signed it"),
        (wrongly_signed, "no key of this machine has signed it"),
        (expired, "was good until"),
        (wrong_checksum, "not the file that was signed for"),
    ],
)
def test_a_bad_archive_is_refused_and_the_tree_stays_as_it_was(tree, damage, words):
    root, folder, sign = tree
    left_out = ("var/lib/brave-bridge", "tmp", "home")
    desk = desk_of(root)
    damage(folder, sign)
    before = lab.full_manifest(root, left_out)
    with pytest.raises(Refused, match=words) as refused:
        Plans(desk).make("12")
    assert refused.value.remedy
    changed = lab.differences(before, lab.full_manifest(root, left_out))
    assert [line.partition(":")[0] for line in changed] in ([], ["var/lib"])


def test_a_good_archive_is_planned(tree):
    root, _, _ = tree
    plan = Plans(desk_of(root)).make("12").legs[0]
    assert [(c.name, c.new) for c in plan.packages.upgraded] == [("rsyslog", "9:1")]


def test_a_full_disk_while_downloading_stops_with_the_sources_as_they_were(tree):
    root, _, _ = tree
    desk = desk_of(root)
    kept = Plans(desk).make("12")
    cache = root / "var/cache/apt/archives"
    sources = (root / "etc/apt/sources.list").read_text()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=4k", "none", cache], check=True)
    try:
        begin(desk, CrossBrief("deb", kept.legs))
        assert carry_out_on(lambda: desk_of(root), "trial") == 0
    finally:
        subprocess.run(["umount", cache], check=True)
    outcome = desk.logbook().procedure("trial").outcome
    assert (outcome.state, outcome.at) == ("stopped", "download")
    assert "space" in outcome.why
    assert (root / "etc/apt/sources.list").read_text() == sources
    assert desk.survey().release.codename == "bullseye"
    shutil.rmtree(root / "var/lib/brave-bridge")
