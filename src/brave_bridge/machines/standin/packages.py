"""Tiny packages in the real format (deb(5)): written and read with nothing but tar and ar."""

import hashlib
import io
import tarfile
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from pathlib import Path

import msgspec

from brave_bridge.core.formats.deb822 import stanza_text, stanzas

_AR_MAGIC = b"!<arch>\n"
EPOCH = 1_790_000_000
"""The modification time of everything in a stand-in's packages, in seconds."""


class PackageFile(msgspec.Struct, frozen=True):
    """A package's control fields, files by path, config files and scripts."""

    fields: dict[str, str]
    files: dict[str, bytes]
    conffiles: tuple[str, ...] = ()
    scripts: dict[str, bytes] = {}
    links: dict[str, str] = {}

    @property
    def name(self) -> str:
        """Its name."""
        return self.fields["Package"]

    @property
    def file_name(self) -> str:
        """The name of its file in an archive's pool."""
        version = self.fields["Version"].replace(":", "%3a")
        return f"{self.name}_{version}_{self.fields['Architecture']}.deb"


def write_package(package: PackageFile) -> bytes:
    """The package as the bytes of a .deb file; the same bytes for the same package."""
    members = {"control": stanza_text(package.fields).encode()}
    if package.conffiles:
        members["conffiles"] = "".join(path + "\n" for path in package.conffiles).encode()
    sums = "".join(
        f"{hashlib.md5(content, usedforsecurity=False).hexdigest()}  {path.lstrip('/')}\n"
        for path, content in sorted(package.files.items())
        if path not in package.conffiles
    )
    members["md5sums"] = sums.encode()
    control = _tar(
        {f"./{name}": content for name, content in members.items()},
        {f"./{name}": content for name, content in package.scripts.items()},
        {},
    )
    data = _tar(
        {f".{path}": content for path, content in package.files.items()},
        {},
        {f".{path}": target for path, target in package.links.items()},
    )
    return _AR_MAGIC + b"".join(
        _ar_member(name, content)
        for name, content in (
            ("debian-binary", b"2.0\n"),
            ("control.tar", control),
            ("data.tar", data),
        )
    )


def _ar_member(name: str, content: bytes) -> bytes:
    header = f"{name:<16}{EPOCH:<12}{0:<6}{0:<6}{'100644':<8}{len(content):<10}`\n".encode()
    return header + content + (b"\n" if len(content) % 2 else b"")


def _tar(files: dict[str, bytes], programs: dict[str, bytes], links: dict[str, str]) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w", format=tarfile.GNU_FORMAT) as archive:
        for folder in _folders([*files, *programs, *links]):
            info = _info(folder + "/", 0o755)
            info.type = tarfile.DIRTYPE
            archive.addfile(info)
        for path, content in sorted(files.items()):
            mode = 0o755 if "/bin/" in path or "/sbin/" in path else 0o644
            info = _info(path, mode)
            info.size = len(content)
            archive.addfile(info, io.BytesIO(content))
        for path, content in sorted(programs.items()):
            info = _info(path, 0o755)
            info.size = len(content)
            archive.addfile(info, io.BytesIO(content))
        for path, target in sorted(links.items()):
            info = _info(path, 0o777)
            info.type, info.linkname = tarfile.SYMTYPE, target
            archive.addfile(info)
    return buffer.getvalue()


def _folders(paths: list[str]) -> list[str]:
    found = {"."}
    for path in paths:
        parent = path.rpartition("/")[0]
        while parent and parent != ".":
            found.add(parent)
            parent = parent.rpartition("/")[0]
    return sorted(found)


def _info(path: str, mode: int) -> tarfile.TarInfo:
    info = tarfile.TarInfo(path)
    info.mode, info.mtime = mode, EPOCH
    info.uname = info.gname = "root"
    return info


def read_package(content: bytes) -> PackageFile:
    """A package from the bytes of its file; ValueError where it is none."""
    members = dict(_ar_members(content))
    control = _untar(members["control.tar"])[0]
    fields = next(stanzas(control["/control"].decode()))
    files, links = _untar(members["data.tar"])
    scripts = {
        name.lstrip("/"): text
        for name, text in control.items()
        if name in ("/preinst", "/postinst", "/prerm", "/postrm")
    }
    conffiles = tuple(control.get("/conffiles", b"").decode().split())
    return PackageFile(fields, files, conffiles, scripts, links)


def _ar_members(content: bytes):
    if not content.startswith(_AR_MAGIC):
        raise ValueError("not a package file")
    position = len(_AR_MAGIC)
    while position + 60 <= len(content):
        header = content[position : position + 60]
        size = int(header[48:58])
        yield header[:16].decode().strip().rstrip("/"), content[position + 60 :][:size]
        position += 60 + size + size % 2


def _untar(content: bytes) -> tuple[dict[str, bytes], dict[str, str]]:
    files: dict[str, bytes] = {}
    links: dict[str, str] = {}
    with tarfile.open(fileobj=io.BytesIO(content)) as archive:
        for info in archive:
            path = "/" + info.name.removeprefix("./").lstrip("/")
            if ".." in path.split("/"):
                raise ValueError(f"a path that leads out: {path}")
            if (content_of := archive.extractfile(info)) is not None and info.isreg():
                files[path] = content_of.read()
            elif info.issym():
                links[path] = info.linkname
    return files, links


def write_archive(folder: Path, suites: "dict[str, Suite]", sign) -> None:
    """Write a package archive: the pool, and per suite its index and signed description.

    ``sign`` turns text into a clear-signed message.
    """
    for name, suite in suites.items():
        described = folder / "dists" / name
        components = sorted({"main", *map(_component, suite.packages)})
        sums = [_write_index(folder, described, suite, component) for component in components]
        fields = {
            "Origin": suite.origin,
            "Label": suite.origin,
            "Suite": name,
            "Codename": suite.codename,
            "Version": suite.version,
            "Date": format_datetime(datetime.now(UTC) - timedelta(hours=2)),
            "Architectures": "amd64",
            "Components": " ".join(components),
            "SHA256": "".join(f"\n{line}" for line in sums),
        }
        if suite.valid_until:
            fields["Valid-Until"] = suite.valid_until
        (described / "InRelease").write_text(sign(stanza_text(fields)))


def _component(package: PackageFile) -> str:
    """The component that a package is in, as its section says."""
    component, slash, _ = package.fields.get("Section", "").partition("/")
    return component if slash else "main"


def _write_index(folder: Path, described: Path, suite: "Suite", component: str) -> str:
    """Write the index of one component; the line by which the description vouches for it."""
    name = f"{component}/binary-amd64/Packages"
    packages = (package for package in suite.packages if _component(package) == component)
    content = "\n".join(_index_stanza(folder, package) for package in packages).encode()
    (described / name).parent.mkdir(parents=True, exist_ok=True)
    (described / name).write_bytes(content)
    return f"{hashlib.sha256(content).hexdigest()} {len(content)} {name}"


class Suite(msgspec.Struct, frozen=True):
    """One suite of an archive and what it offers."""

    origin: str
    codename: str
    version: str
    packages: tuple[PackageFile, ...]
    valid_until: str = ""


def _index_stanza(folder: Path, package: PackageFile) -> str:
    content = write_package(package)
    pool = folder / "pool" / package.file_name
    pool.parent.mkdir(parents=True, exist_ok=True)
    pool.write_bytes(content)
    fields = dict(package.fields)
    fields["Filename"] = f"pool/{package.file_name}"
    fields["Size"] = str(len(content))
    fields["SHA256"] = hashlib.sha256(content).hexdigest()
    return stanza_text(fields)
