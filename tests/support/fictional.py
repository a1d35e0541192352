"""Made-up distributions of the rpm and alpm families, planned by their own package managers.

``Fathom`` in two releases and ``Driftline`` before and after: an upgrade with a new library,
a successor, a conflict, a recommendation, a held-up third-party package.
"""

import gzip
import hashlib
import json
import subprocess
import tarfile
from pathlib import Path

from tests.support.other_families import _add, _run

FATHOM = {
    "1": """
        fathom-release 1
        glibc 2.30 Provides: libc.so.6
        tided 1.0 Requires: libtide.so.1; Requires: glibc
        libtide 1.0 Provides: libtide.so.1
        gauge 1.0 Requires: libtide.so.1
        oldplot 1.0
        kernel 5.1 Provides: installonlypkg(kernel)
        wave-driver 1.0 Requires: kernel
        outsider 1.0 Requires: libtide.so.1
        editor 1.0
        fonts-base 1.0
        harbour-mail 1.0 Requires: (fonts-base or fonts-more)
    """,
    "2": """
        fathom-release 2
        glibc 2.38 Provides: libc.so.6
        tided 2.0 Requires: libtide.so.2; Requires: glibc >= 2.38; Recommends: tide-charts
        libtide 2.0 Provides: libtide.so.2
        gauge 1.0-2 Requires: libtide.so.2
        newplot 3.0 Obsoletes: oldplot < 2; Provides: oldplot = 3.0
        kernel 6.1 Provides: installonlypkg(kernel)
        wave-driver 2.0 Requires: kernel >= 6
        tide-charts 1.0 Requires: chart-data
        chart-data 1.0
        editor 1:0.9
        fonts-base 1.1 Conflicts: fonts-more < 2
        fonts-more 1.0
        harbour-mail 2.0 Requires: (fonts-base or fonts-more); Requires: (tide-charts if tided)
    """,
}
"""Packages of two releases: name, version[-release], fields of a spec file."""

DRIFTLINE = {
    "1": """
        glibc 2.30-1
        tided 1.0-1 depend = libtide; depend = glibc
        libtide 1.0-1
        oldplot 1.0-1
        gauge 1:1.0-1 depend = libtide
        helper 1.0-1
        editor 2.0-1
    """,
    "2": """
        glibc 2.38-1
        tided 2.0-1 depend = libtide>=2; depend = glibc; depend = charts
        libtide 2.0-1 provides = libtide.so=2-64
        newplot 3.0-1 replaces = oldplot; conflict = oldplot; provides = oldplot=3.0
        gauge 1:1.1-1 depend = libtide.so=2-64
        charts 1.0-1
        helper 1.0-1
        editor 1.9-1
    """,
}


def lines_of(text: str) -> list[tuple[str, str, str]]:
    """Name, version and fields of each line."""
    rows = []
    for line in text.strip().splitlines():
        name, version, *rest = line.split(None, 2)
        rows.append((name, version, rest[0] if rest else ""))
    return rows


_SPEC = """
Name: {name}
Epoch: {epoch}
Version: {version}
Release: {release}
Summary: made up
License: none
BuildArch: noarch
{fields}
%description
made up
%files
"""


class FathomWorld:
    """Both releases as repositories, and a root with the first."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.root = folder / "root"
        for release, text in FATHOM.items():
            self._build(release, text)
        (self.root / "usr/lib/sysimage/rpm").mkdir(parents=True)
        made = sorted((folder / "repo-1").rglob("*.rpm"))
        _run(["rpm", "--root", self.root, "--install", *made], folder)

    def _build(self, release: str, text: str) -> None:
        top, repository = self.folder / f"build-{release}", self.folder / f"repo-{release}"
        (self.folder / ".rpmmacros").write_text(f"%_topdir {top}\n%_dbpath /usr/lib/sysimage/rpm\n")
        specs = []
        for name, full, fields in lines_of(text):
            epoch, _, rest = full.rpartition(":")
            version, _, number = rest.partition("-")
            spec = self.folder / f"{name}-{release}.spec"
            spec.write_text(
                _SPEC.format(
                    name=name,
                    epoch=epoch or "0",
                    version=version,
                    release=number or "1",
                    fields="\n".join(field.strip() for field in fields.split(";")),
                )
            )
            specs.append(spec)
        _run(["rpmbuild", "-bb", "--quiet", *specs], self.folder)
        repository.mkdir()
        for made in (top / "RPMS").rglob("*.rpm"):
            made.rename(repository / made.name)
        _run(["createrepo_c", "--quiet", "--compress-type=gz", repository], self.folder)

    def primary(self, release: str) -> bytes:
        """The packages' metadata of a release, unpacked."""
        (path,) = (self.folder / f"repo-{release}/repodata").glob("*-primary.xml.gz")
        return gzip.decompress(path.read_bytes())

    def database(self) -> bytes:
        """The root's package database."""
        return (self.root / "usr/lib/sysimage/rpm/rpmdb.sqlite").read_bytes()

    def dnf_says(self, *exclude: str) -> dict[str, set[str]]:
        """What dnf would do to take the root to the second release, as data."""
        script = self.folder / "ask.py"
        script.write_text(_ASK_DNF)
        done = subprocess.run(
            ["/usr/bin/python3", script, self.root, self.folder / "repo-2", *exclude],
            capture_output=True,
            text=True,
            check=False,
            timeout=120,
            stdin=subprocess.DEVNULL,
            env={"HOME": str(self.folder), "LC_ALL": "C", "PATH": "/usr/bin:/bin"},
        )
        if done.returncode:
            raise RuntimeError(done.stderr[-2000:])
        return {kind: set(names) for kind, names in json.loads(done.stdout).items()}


_ASK_DNF = """
import json, sys
import dnf
root, repository, *exclude = sys.argv[1:]
base = dnf.Base()
base.conf.installroot = root
base.conf.cachedir = root + "/../dnf-cache"
base.conf.persistdir = root + "/../dnf-persist"
base.conf.plugins = False
base.conf.substitutions["releasever"] = "2"
base.conf.excludepkgs = exclude
base.repos.add_new_repo("two", base.conf, baseurl=["file://" + repository], gpgcheck=False)
base.fill_sack()
base.distro_sync()
base.resolve(allow_erasing=True)
found = {"in": [], "out": []}
for item in base.transaction:
    pkg = item.pkg
    words = f"{pkg.name} {pkg.evr}"
    found["in" if item.action in dnf.transaction.FORWARD_ACTIONS else "out"].append(words)
print(json.dumps(found))
"""


_BLOCKS = {
    "depend": "DEPENDS",
    "provides": "PROVIDES",
    "conflict": "CONFLICTS",
    "replaces": "REPLACES",
}


def _desc(place: Path, name: str, version: str, info: list[str]) -> str:
    """A package's entry of a sync database."""
    content = place.read_bytes()
    values = {
        "FILENAME": [place.name],
        "NAME": [name],
        "VERSION": [version],
        "ARCH": ["any"],
        "CSIZE": [str(len(content))],
        "ISIZE": ["11"],
        "SHA256SUM": [hashlib.sha256(content).hexdigest()],
    }
    for line in info:
        key, _, value = line.partition(" = ")
        if key in _BLOCKS:
            values.setdefault(_BLOCKS[key], []).append(value)
    return "\n".join(f"%{key}%\n" + "\n".join(v) + "\n" for key, v in values.items())


class DriftlineWorld:
    """Both states as sync databases, and a root with the first."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.root = folder / "root"
        for place in ("var/lib/pacman/sync", "var/cache/pacman/pkg", "var/log", "etc"):
            (self.root / place).mkdir(parents=True)
        for state, text in DRIFTLINE.items():
            self._build(state, text)
        self._configure("1")
        made = sorted((folder / "repo-1").glob("*.pkg.tar"))
        self._pacman("--noconfirm", "--upgrade", *made)

    def _configure(self, state: str) -> None:
        (self.root / "etc/pacman.conf").write_text(
            "[options]\nArchitecture = x86_64\nSigLevel = Never\n\n"
            f"[tide]\nServer = file://{self.folder}/repo-{state}\n"
        )

    def _pacman(self, *words) -> subprocess.CompletedProcess:
        root = self.root
        return _run(
            [
                "pacman",
                "--root",
                root,
                "--dbpath",
                root / "var/lib/pacman",
                "--config",
                root / "etc/pacman.conf",
                "--cachedir",
                root / "var/cache/pacman/pkg",
                "--logfile",
                root / "var/log/pacman.log",
                "--hookdir",
                root / "none",
                *words,
            ],
            self.folder,
        )

    def _build(self, state: str, text: str) -> None:
        repository = self.folder / f"repo-{state}"
        repository.mkdir()
        database = tarfile.open(repository / "tide.db.tar.gz", "w:gz")  # noqa: SIM115
        for name, version, fields in lines_of(text):
            info = [f"pkgname = {name}", f"pkgver = {version}", "arch = any", "size = 11"]
            info += [field.strip() for field in fields.split(";") if field.strip()]
            place = repository / f"{name}-{version.replace(':', '_')}-any.pkg.tar"
            with tarfile.open(place, "w") as archive:
                _add(archive, ".PKGINFO", ("\n".join(info) + "\n").encode())
                _add(archive, f"usr/share/{name}", version.encode())
            desc = _desc(place, name, version, info)
            _add(database, f"{name}-{version}/desc", desc.encode())
        database.close()
        (repository / "tide.db").symlink_to("tide.db.tar.gz")

    def sync_descs(self, state: str) -> list[str]:
        """The desc files of a sync database."""
        with tarfile.open(self.folder / f"repo-{state}/tide.db.tar.gz") as archive:
            members = [m for m in archive.getmembers() if m.name.endswith("/desc")]
            return [archive.extractfile(member).read().decode() for member in members]

    def local_descs(self) -> list[str]:
        """The desc files of the local database."""
        places = (self.root / "var/lib/pacman/local").glob("*/desc")
        return [place.read_text() for place in sorted(places)]

    def pacman_says(self) -> set[str]:
        """The packages that would come in: ``name version``."""
        self._configure("2")
        self._pacman("-Syy")
        done = self._pacman("--noconfirm", "-Sup", "--print-format", "%n %v")
        words = (line for line in done.stdout.decode().splitlines() if len(line.split()) == 2)
        return {line for line in words if not line.startswith((":", "warning"))}
