"""Sources that lead over a list of mirrors on the machine (apt-transport-mirror(1))."""

import hashlib

import pytest

from brave_bridge.archives.download import Downloader
from brave_bridge.archives.fault import ArchiveFault


@pytest.fixture
def downloader(tmp_path):
    (tmp_path / "root/etc/apt/mirrors").mkdir(parents=True)
    (tmp_path / "root/srv/archive/dists/bowline").mkdir(parents=True)
    (tmp_path / "root/srv/archive/dists/bowline/InRelease").write_text("Origin: Quayside\n")
    made = Downloader(tmp_path / "root", tmp_path / "partial")
    yield made, tmp_path / "root"
    made.close()


LIST = "mirror+file:/etc/apt/mirrors/quayside.list"


def test_the_first_mirror_of_the_list_is_asked(downloader):
    made, root = downloader
    listed = root / "etc/apt/mirrors/quayside.list"
    listed.write_text("# ours first\nfile:/srv/archive/\tpriority:1\nhttp://b.example/quayside\n")
    got = made.get(f"{LIST}/dists/bowline/InRelease", 1000)
    assert got.content == b"Origin: Quayside\n"
    digest = hashlib.sha256(got.content).hexdigest()
    assert made.get_exactly(f"{LIST}/dists/bowline/InRelease", digest, 17) == got.content


@pytest.mark.parametrize("content", [None, "", "# nothing\n"])
def test_a_list_that_names_nothing_is_told(downloader, content):
    made, root = downloader
    if content is not None:
        (root / "etc/apt/mirrors/quayside.list").write_text(content)
    with pytest.raises(ArchiveFault, match="names no list of mirrors"):
        made.get(f"{LIST}/dists/bowline/InRelease", 1000)


def test_a_list_outside_the_tree_is_not_read(downloader, tmp_path):
    made, root = downloader
    (tmp_path / "outside.list").write_text("file:/srv/archive\n")
    (root / "etc/apt/mirrors/quayside.list").symlink_to(tmp_path / "outside.list")
    with pytest.raises(ArchiveFault, match="names no list of mirrors"):
        made.get(f"{LIST}/dists/bowline/InRelease", 1000)
