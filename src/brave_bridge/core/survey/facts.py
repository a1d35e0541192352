"""Facts: what was read of a machine in one pass, with where it was read."""

import msgspec

from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile
from brave_bridge.core.formats.apt_status_db import InstalledPackage


class Identity(msgspec.Struct, frozen=True):
    """Who a machine is, by its own files (os-release(5))."""

    os_id: str
    name: str
    version_id: str
    codename: str
    architecture: str
    hostname: str = ""
    edition: str = ""


class ChangedConfig(msgspec.Struct, frozen=True):
    """A config file that differs from the one its package shipped, or is gone.

    ``managed_by`` is ``dpkg`` or ``ucf``; ``sha256`` is empty where the file is gone.
    """

    path: str
    package: str
    managed_by: str
    sha256: str

    @property
    def is_gone(self) -> bool:
        """Whether the administrator removed it."""
        return not self.sha256


class Space(msgspec.Struct, frozen=True):
    """Room on the file system that holds ``path``, in bytes and inodes."""

    path: str
    free_bytes: int
    total_bytes: int
    free_inodes: int


class Kernel(msgspec.Struct, frozen=True):
    """A kernel image on the machine; ``running`` where it is the one in use."""

    version: str
    path: str
    size_bytes: int
    running: bool = False


class ArchiveSeen(msgspec.Struct, frozen=True):
    """What the last refresh of the indices saw of one source suite."""

    uri: str
    suite: str
    origin: str
    codename: str
    version: str
    date: str


class Evidence(msgspec.Struct, frozen=True):
    """Where a topic of the facts was read, and what stood there in short."""

    topic: str
    where: str
    seen: str


class Facts(msgspec.Struct, frozen=True):
    """Everything that one survey read. ``taken_at`` is ISO 8601 in UTC."""

    machine: str
    kind: str
    taken_at: str
    identity: Identity
    packages: tuple[InstalledPackage, ...]
    source_files: tuple[SourceFile, ...]
    sources: tuple[SourceEntry, ...]
    archives: tuple[ArchiveSeen, ...]
    changed_configs: tuple[ChangedConfig, ...]
    set_aside: tuple[str, ...]
    space: tuple[Space, ...]
    kernels: tuple[Kernel, ...]
    tools: dict[str, str]
    evidence: tuple[Evidence, ...]
    boot_entries: tuple[str, ...] = ()

    @property
    def installed(self) -> tuple[InstalledPackage, ...]:
        """The packages that are on the machine."""
        return tuple(package for package in self.packages if package.is_present)

    @property
    def broken(self) -> tuple[InstalledPackage, ...]:
        """The packages whose installation did not end well."""
        return tuple(package for package in self.packages if package.is_broken)

    @property
    def held(self) -> tuple[InstalledPackage, ...]:
        """The packages that the administrator keeps from changing."""
        return tuple(p for p in self.packages if p.is_present and p.is_held)

    def where(self, topic: str) -> str:
        """Where a topic was read; empty where it was not."""
        return next((e.where for e in self.evidence if e.topic == topic), "")

    def archive_of(self, uri: str, suite: str) -> ArchiveSeen | None:
        """What was last seen of a source's suite."""
        uri = uri.rstrip("/")
        return next((a for a in self.archives if (a.uri, a.suite) == (uri, suite)), None)
