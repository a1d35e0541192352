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


def _run(
    argv: list, folder: Path, expected: tuple[int, ...] = (0,)
) -> subprocess.CompletedProcess[bytes]:
    environment = {**os.environ, "HOME": str(folder), "LC_ALL": "C"}
    done = subprocess.run(
        [str(word) for word in argv],
        capture_output=True,
        env=environment,
        timeout=120,
        stdin=subprocess.DEVNULL,
    )
    assert done.returncode in expected, done
    return done


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


def alpm_root(folder: Path, packages: dict[str, str], *, kernel: str = "") -> Path:
    """A root with these alpm packages (name to version), each with a config file.

    ``kernel`` is the version of the kernel that ``linux`` has; its headers are of its source.
    """
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
        info += f"pkgbase = {'linux' if name.startswith('linux') else name}\n"
        with tarfile.open(place, "w") as archive:
            _add(archive, ".PKGINFO", info.encode())
            _add(archive, f"etc/{name}.conf", b"as shipped\n")
            if kernel and name == "linux":
                _add(archive, f"usr/lib/modules/{kernel}/vmlinuz", b"an image")
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


_KERNEL_SPEC = """
Name: kernel
Version: {version}
Release: 1
Summary: a kernel for a test
License: none
BuildArch: noarch
Requires: kernel-core = %{{version}}-%{{release}}
Requires: kernel-modules = %{{version}}-%{{release}}
%description
for a test
%package core
Summary: its image
Provides: installonlypkg(kernel)
%description core
for a test
%package modules
Summary: its modules
Provides: installonlypkg(kernel-module)
%description modules
for a test
%install
mkdir -p %{{buildroot}}/boot %{{buildroot}}/usr/lib/modules/{version}-1
touch %{{buildroot}}/boot/vmlinuz-{version}-1 %{{buildroot}}/usr/lib/modules/{version}-1/gauge.ko
%files
%files core
/boot/vmlinuz-{version}-1
%files modules
/usr/lib/modules/{version}-1
"""
RPM_KERNELS = ("kernel", "kernel-core", "kernel-modules")


def rpm_kernels(folder: Path, root: Path, here: str, offered: list[str]) -> None:
    """Add a kernel of three packages to a root, and a repository that offers other versions."""
    (folder / ".rpmmacros").write_text(
        f"%_topdir {folder / 'kernels'}\n%_dbpath /usr/lib/sysimage/rpm\n"
    )
    for version in (here, *offered):
        spec = folder / f"kernel-{version}.spec"
        spec.write_text(_KERNEL_SPEC.format(version=version))
        _run(["rpmbuild", "-bb", "--quiet", spec], folder)
    made = folder / "kernels/RPMS/noarch"
    _run(["rpm", "--root", root, "--install", *sorted(made.glob(f"*-{here}-1.*"))], folder)
    _run(["createrepo_c", "--quiet", made], folder)
    (root / "etc/dnf/plugins").mkdir(parents=True, exist_ok=True)
    (root / "etc/dnf/plugins/versionlock.conf").write_text("[main]\nenabled = 1\n")
    plugins = folder / "plugins"
    plugins.mkdir()
    locks = root / "etc/dnf/plugins/versionlock.list"
    locks.write_text("# kept by the crew\n")
    (plugins / "versionlock.conf").write_text(f"[main]\nenabled = 1\nlocklist = {locks}\n")
    (folder / "dnf.conf").write_text(
        f"[main]\npluginconfpath={plugins}\ncachedir={folder}/cache\nlogdir={folder}\n"
        f"persistdir={folder}/persist\nreposdir={folder}/none\n"
        f"[kernels]\nname=kernels\nbaseurl=file://{made}\ngpgcheck=0\n"
    )


def dnf_would_bring(folder: Path, root: Path) -> set[str]:
    """What dnf itself would bring as an upgrade of a root: ``name-version``."""
    argv = ["dnf", "--quiet", "--config", folder / "dnf.conf", "--installroot", root]
    argv += ["--releasever=9", "--disableplugin=*", "--enableplugin=versionlock"]
    # Only commands that may change something keep to the locks; 100: there is something newer.
    done = _run([*argv, "check-update"], folder, expected=(0, 100))
    words = [row.split() for row in done.stdout.decode().splitlines() if row.strip()]
    return {f"{row[0].rpartition('.')[0]}-{row[1].partition('-')[0]}" for row in words}


def pacman_says_of_updates(folder: Path, root: Path, newer: dict[str, str]) -> list[str]:
    """What pacman itself says of newer versions (``pacman -Qu``) once a repository has them."""
    sync = root / "var/lib/pacman/sync"
    sync.mkdir(exist_ok=True)
    with tarfile.open(sync / "core.db", "w:gz") as archive:
        for name, version in newer.items():
            desc = f"%FILENAME%\n{name}.pkg.tar\n\n%NAME%\n{name}\n\n%VERSION%\n{version}\n\n"
            _add(archive, f"{name}-{version}/desc", (desc + "%ARCH%\nany\n").encode())
    argv = ["pacman", "--root", root, "--dbpath", root / "var/lib/pacman"]
    argv += ["--config", root / "etc/pacman.conf", "--logfile", folder / "log", "-Qu"]
    return _run(argv, folder).stdout.decode().splitlines()
