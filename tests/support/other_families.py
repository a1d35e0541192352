"""Real roots of the rpm and alpm families, built in seconds by their own package managers."""

import io
import os
import subprocess
import tarfile
from pathlib import Path

_SPEC = """
Name: {name}
Version: {version}
Release: {release}
Summary: for a test
License: none
BuildArch: noarch
{more}
%description
for a test
%install
mkdir -p %{{buildroot}}/etc
printf 'as shipped\\n' > %{{buildroot}}/etc/{name}.conf
%files
%config(noreplace) /etc/{name}.conf
"""


def _run(argv: list, folder: Path, **options) -> subprocess.CompletedProcess:
    environment = {**os.environ, "HOME": str(folder), "LC_ALL": "C"}
    return subprocess.run(
        [str(word) for word in argv],
        check=True,
        capture_output=True,
        env=environment,
        timeout=120,
        stdin=subprocess.DEVNULL,
        **options,
    )


def rpm_root(folder: Path, packages: dict[str, str]) -> Path:
    """A root with these rpm packages (name to ``epoch:version-release``), each with a config."""
    root = folder / "rpm-root"
    (root / "usr/lib/sysimage/rpm").mkdir(parents=True)
    build = folder / "build"
    (folder / ".rpmmacros").write_text(f"%_topdir {build}\n%_dbpath /usr/lib/sysimage/rpm\n")
    for name, full in packages.items():
        epoch, _, rest = full.rpartition(":")
        version, _, release = rest.rpartition("-")
        spec = folder / f"{name}.spec"
        more = f"Epoch: {epoch}" if epoch else ""
        spec.write_text(_SPEC.format(name=name, version=version, release=release, more=more))
        _run(["rpmbuild", "-bb", "--quiet", spec], folder)
    made = sorted((build / "RPMS").rglob("*.rpm"))
    _run(["rpm", "--root", root, "--nodeps", "--install", *made], folder)
    (root / "etc/os-release").write_text(
        'ID=almalinux\nNAME="AlmaLinux"\nVERSION_ID="9.4"\nPRETTY_NAME="AlmaLinux 9.4"\n'
    )
    (root / "etc/yum.repos.d").mkdir(parents=True)
    (root / "etc/yum.repos.d/base.repo").write_text(
        "[base]\nname=Base\nbaseurl=http://a.example/9\ngpgcheck=1\n\n"
        "[extra]\nname=Extra\nbaseurl=http://b.example/9\ngpgcheck=0\n\n"
        "[off]\nname=Off\nbaseurl=http://c.example/9\nenabled=0\n"
    )
    return root


def rpm_says(folder: Path, root: Path) -> set[str]:
    """What rpm itself lists of a root: ``name epoch:version-release``."""
    query = "%{NAME} %|EPOCH?{%{EPOCH}:}|%{VERSION}-%{RELEASE}\n"
    done = _run(["rpm", "--root", root, "-qa", "--qf", query], folder)
    return set(done.stdout.decode().splitlines())


def _add(archive: tarfile.TarFile, name: str, content: bytes) -> None:
    entry = tarfile.TarInfo(name)
    entry.size = len(content)
    archive.addfile(entry, io.BytesIO(content))


def alpm_root(folder: Path, packages: dict[str, str]) -> Path:
    """A root with these alpm packages (name to version), each with a config file."""
    root = folder / "alpm-root"
    for place in ("var/lib/pacman", "var/cache/pacman/pkg", "var/log", "etc"):
        (root / place).mkdir(parents=True)
    config = root / "etc/pacman.conf"
    config.write_text(
        "[options]\nArchitecture = x86_64\nSigLevel = Never\n\n[core]\n"
        "Server = http://a.example/core\n"
    )
    made = []
    for name, version in packages.items():
        place = folder / f"{name}-{version}-any.pkg.tar"
        info = f"pkgname = {name}\npkgver = {version}\narch = any\nsize = 11\n"
        info += f"backup = etc/{name}.conf\n"
        with tarfile.open(place, "w") as archive:
            _add(archive, ".PKGINFO", info.encode())
            _add(archive, f"etc/{name}.conf", b"as shipped\n")
        made.append(place)
    _run(
        [
            "pacman",
            "--root",
            root,
            "--dbpath",
            root / "var/lib/pacman",
            "--config",
            config,
            "--cachedir",
            root / "var/cache/pacman/pkg",
            "--logfile",
            root / "var/log/pacman.log",
            "--hookdir",
            root / "none",
            "--noconfirm",
            "--upgrade",
            *made,
        ],
        folder,
    )
    (root / "etc/os-release").write_text('ID=arch\nNAME="Arch Linux"\nBUILD_ID=rolling\n')
    return root
