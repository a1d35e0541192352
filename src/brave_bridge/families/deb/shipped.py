"""Files as packages ship them: read from the package itself, in its archive."""

from collections.abc import Iterable, Iterator

from brave_bridge.archives.deb_file import file_in_deb, files_in_deb, scripts_in_deb
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.kept_suites import KEPT_SUITES, decode_suites
from brave_bridge.archives.opening import downloader_of
from brave_bridge.archives.store import store_of
from brave_bridge.core.formats.apt_sources import SourceEntry, index_stem
from brave_bridge.core.formats.kernel_modules import (
    Alias,
    aliases_of_module,
    read_builtin_aliases,
)
from brave_bridge.core.formats.packages.deb_index import DebIndex, index_of
from brave_bridge.core.formats.packing import unpack
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.families.deb.own_indices import own_indices
from brave_bridge.families.deb.places import LISTS
from brave_bridge.families.deb.universe import architectures_of
from brave_bridge.machines.port import Machine

_LARGEST_PACKAGE = 600_000_000
_SMALL = 20_000_000
_LARGEST_MODULE = 128_000_000


def file_to_come(machine: Machine, lists: str, name: str, version: str, path: str) -> bytes | None:
    """A file as a version ships it, among what was fetched for a plan; see ``file_in_deb``."""
    return _file(machine, _fetched(machine, lists), name, version, path)


def file_of_now(
    machine: Machine, sources: Iterable[SourceEntry], name: str, version: str, path: str
) -> bytes | None:
    """A file as the installed version ships it, as long as the machine's archives have that."""
    return _file(machine, _own(machine, sources), name, version, path)


def package_file(machine: Machine, lists: str, name: str, version: str) -> tuple[str, bytes]:
    """A package file among what was fetched of suites: its name, and its content."""
    content = _content_of(machine, _fetched(machine, lists), name, version)
    return f"{name}_{version.replace(':', '%3a')}.deb", content


def module_aliases(
    machine: Machine, sources: Iterable[SourceEntry], packages: Iterable[tuple[str, str]]
) -> Iterator[Alias]:
    """What the kernel modules in packages (name and version) of the archives are for."""
    indices = list(_own(machine, sources))
    for name, version in packages:
        content = _content_of(machine, indices, name, version)
        for path, file in files_in_deb(content, _tells_of_drivers):
            if path.endswith("/modules.builtin.modinfo"):
                yield from read_builtin_aliases(file)
                continue
            module, _, packing = path.rpartition("/")[2].partition(".ko")
            yield from aliases_of_module(unpack(file, packing, _LARGEST_MODULE), module)


def _tells_of_drivers(path: str) -> bool:
    name = path.rpartition("/")[2]
    return ".ko" in name or name == "modules.builtin.modinfo"


def scripts_to_come(machine: Machine, lists: str, version: PackageVersion) -> dict[str, str]:
    """The maintainer scripts of a version among what was fetched for a plan."""
    fetched = _fetched(machine, lists)
    content = _content_of(machine, fetched, version.name, version.version, version.slot)
    return scripts_in_deb(content)


def _fetched(machine: Machine, lists: str) -> Iterator[tuple[DebIndex, str]]:
    native = architectures_of(machine)[0]
    for kept in decode_suites(machine.files.read(f"{lists}/{KEPT_SUITES}", _SMALL)):
        yield DebIndex(*store_of(machine).open(kept.sha256), native, kept.suite), kept.uri


def _own(machine: Machine, sources: Iterable[SourceEntry]) -> Iterator[tuple[DebIndex, str]]:
    native = architectures_of(machine)[0]
    for entry in sources:
        for uri in entry.uris:
            for suite in entry.suites:
                stem = f"{LISTS}/{index_stem(uri, suite)}*"
                for path, text in own_indices(machine, stem):
                    yield index_of(text, native, path), uri


def _file(
    machine: Machine, indices: Iterable[tuple[DebIndex, str]], name: str, version: str, path: str
) -> bytes | None:
    return file_in_deb(_content_of(machine, indices, name, version), path)


def _content_of(
    machine: Machine,
    indices: Iterable[tuple[DebIndex, str]],
    name: str,
    version: str,
    slot: str = "",
) -> bytes:
    """A package file as the first archive that has it gives it; of one slot, where it is named."""
    read_any = False
    for index, uri in indices:
        read_any = True
        for found in index.versions(name):
            if found.version == version and slot in ("", found.slot):
                return _package(machine, uri, found)
    if not read_any:
        raise ArchiveFault("missing", f"no list of an archive is kept that could have {name}")
    raise ArchiveFault("missing", f"no archive has {name} {version} any more")


def _package(machine: Machine, uri: str, version: PackageVersion) -> bytes:
    details = version.details
    if not 0 < details.download_bytes <= _LARGEST_PACKAGE:
        raise ArchiveFault("size", f"{version.title} would have {details.download_bytes} bytes")
    with downloader_of(machine) as downloader:
        address = f"{uri.rstrip('/')}/{details.path}"
        return downloader.get_exactly(address, details.sha256, details.download_bytes)
