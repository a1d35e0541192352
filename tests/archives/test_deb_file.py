"""One file out of a package file, as real tools pack it and as it should not be."""

import io
import shutil
import subprocess
import tarfile

import pytest

from brave_bridge.archives.deb_file import file_in_deb, scripts_in_deb
from brave_bridge.archives.fault import ArchiveFault


@pytest.mark.skipif(shutil.which("dpkg-deb") is None, reason="the tool dpkg-deb is missing")
@pytest.mark.parametrize("packing", ["xz", "gzip", "zstd", "none"])
def test_a_file_comes_out_as_it_went_in(tmp_path, packing):
    root = tmp_path / "p"
    (root / "DEBIAN").mkdir(parents=True)
    (root / "DEBIAN/control").write_text(
        "Package: p\nVersion: 1\nArchitecture: all\nMaintainer: m <m@m.example>\nDescription: d\n"
    )
    (root / "DEBIAN/postinst").write_text("#!/bin/sh\nexit 0\n")
    (root / "DEBIAN/postinst").chmod(0o755)
    (root / "etc").mkdir()
    (root / "etc/p.conf").write_text("workers 2\n" * 500)
    (root / "etc/link").symlink_to("p.conf")
    built = tmp_path / "p.deb"
    subprocess.run(["dpkg-deb", f"-Z{packing}", "-b", root, built], check=True, capture_output=True)
    content = built.read_bytes()
    assert file_in_deb(content, "/etc/p.conf") == b"workers 2\n" * 500
    assert scripts_in_deb(content) == {"postinst": "#!/bin/sh\nexit 0\n"}
    assert file_in_deb(content, "/etc/other") is None
    assert file_in_deb(content, "/etc/link") is None
    with pytest.raises(ArchiveFault, match="bytes"):
        file_in_deb(content, "/etc/p.conf", most=100)
    for cut in (0, 7, 40, len(content) // 2):
        with pytest.raises(ArchiveFault):
            file_in_deb(content[:cut], "/etc/other")


def test_what_is_no_package_is_told():
    data = io.BytesIO()
    with tarfile.open(fileobj=data, mode="w") as archive:
        archive.addfile(tarfile.TarInfo("./etc/x"))
    odd = b"!<arch>\n" + b"data.tar.lzma   0           0     0     100644  4         `\nabcd"
    for content in (b"", b"!<arch>\n", b"\x00" * 100, data.getvalue(), odd):
        with pytest.raises(ArchiveFault):
            file_in_deb(content, "/etc/x")
