"""Facts: what was read of a machine in one pass, with where it was read."""

from collections.abc import Container, Iterator

import msgspec

from brave_bridge.core.boot.entries import Loader
from brave_bridge.core.formats.accounts import Account
from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile
from brave_bridge.core.formats.distro_info import ReleaseDates
from brave_bridge.core.formats.fstab import ExpectedMount
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.images.system import ImageSystem
from brave_bridge.core.kernels.kernel_package import KernelPackage
from brave_bridge.core.licensed.system import LicensedSystem
from brave_bridge.core.packages.updates import Offer, Update, pending_updates
from brave_bridge.core.releases.standing import (
    DATE,
    EDITION,
    KERNEL,
    PROFILE,
    RELEASE,
    Standing,
)
from brave_bridge.core.survey.activity import Activity
from brave_bridge.core.survey.databases import DatabaseCluster
from brave_bridge.core.survey.interpreter import Interpreter
from brave_bridge.core.survey.manager_settings import (
    PreferredRelease,
    SettingAgainst,
    SettingNaming,
)
from brave_bridge.core.survey.platform import (
    BoardFile,
    Boot,
    BuiltKernel,
    Disk,
    Hardware,
    Kernel,
    LastBoot,
    Space,
)
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.core.survey.usr_layout import UsrLayout


class Identity(msgspec.Struct, frozen=True):
    """Who a machine is, by its own files (os-release(5)).

    ``support_end`` is the ISO day in SUPPORT_END; ``build`` is BUILD_ID or IMAGE_VERSION.
    """

    os_id: str
    name: str
    version_id: str
    codename: str
    architecture: str
    hostname: str = ""
    edition: str = ""
    build: str = ""
    support_end: str = ""
    like: tuple[str, ...] = ()
    machine_id: str = ""
    point_release: str = ""
    profile: str = ""
    """Which of several images of a release it is (IMAGE_ID)."""


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


class ArchiveSeen(msgspec.Struct, frozen=True):
    """What the last refresh of the indices saw of one source suite.

    ``date`` is when the archive was written (RFC 2822), ``digests`` are the kinds of sums
    that it is checked by.
    """

    uri: str
    suite: str
    origin: str
    codename: str
    version: str
    date: str
    digests: tuple[str, ...] = ()
    valid_until: str = ""
    only_on_request: bool = False
    """Whether its versions are taken only where they are asked for (NotAutomatic)."""


class KeyFile(msgspec.Struct, frozen=True):
    """A file of keys that sources are checked against.

    ``ends`` is the day (ISO 8601) on which the last of them expires, empty where one does not or
    that was not read; ``fault`` is why none of them vouches for anything, whatever the day.
    """

    path: str
    size_bytes: int
    ends: str = ""
    fault: str = ""


class ReleaseSeen(msgspec.Struct, frozen=True):
    """A moment at which the package logs show the release changing; ISO day and version."""

    day: str
    version: str


class Licence(msgspec.Struct, frozen=True):
    """What a licensed system says of its licence: the edition and the ISO day of its end."""

    edition: str
    ends: str


class Evidence(msgspec.Struct, frozen=True):
    """Where a topic of the facts was read, and what stood there in short.

    ``absent`` says why there is nothing to read, where that is so; ``when`` is ISO 8601,
    empty for the time of the whole pass.
    """

    topic: str
    where: str
    seen: str
    absent: str = ""
    when: str = ""


class LookedAt(msgspec.Struct, frozen=True):
    """What was asked of the machine beyond every survey, for known issues.

    ``there`` are the paths that were asked for and exist, ``lines`` those of config files that
    say something, ``faults`` why a file could not be read.
    """

    there: tuple[str, ...] = ()
    lines: dict[str, tuple[str, ...]] = {}
    faults: dict[str, str] = {}


def nothing_known(machine: str, kind: str) -> "Facts":
    """The facts of a system that cannot be read: a return needs no more."""
    unknown = Identity("", "a system that cannot be read", "", "", "")
    return Facts(
        machine=machine,
        kind=kind,
        taken_at="",
        identity=unknown,
        packages=(),
        source_files=(),
        sources=(),
        archives=(),
        changed_configs=(),
        set_aside=(),
        space=(),
        kernels=(),
        tools={},
        evidence=(),
    )


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
    board: tuple[BoardFile, ...] = ()
    """What a small board's firmware reads."""
    built: tuple[BuiltKernel, ...] = ()
    """The kernels that were built here."""
    kernel_packages: tuple[KernelPackage, ...] = ()
    """The packages that have something of a kernel, and those that follow its series."""
    loader: Loader = Loader()
    boot: Boot = Boot()
    hardware: Hardware = Hardware()
    mounts: tuple[Mount, ...] = ()
    expected_mounts: tuple[ExpectedMount, ...] = ()
    disks: tuple[Disk, ...] = ()
    activity: Activity = Activity()
    accounts: tuple[Account, ...] = ()
    offers: tuple[Offer, ...] = ()
    pins: tuple[Pin, ...] = ()
    unlisted: tuple[str, ...] = ()
    """Installed packages of which nobody knows any more which files are theirs."""
    unknown_owners: tuple[str, ...] = ()
    """Users and groups that files of packages are to belong to and that are not there, each with
    the place that says so."""
    settings_against: tuple[SettingAgainst, ...] = ()
    preferred_release: PreferredRelease | None = None
    settings_naming: tuple[SettingNaming, ...] = ()
    """Settings of what works for the package manager that name the present release."""
    interpreters: tuple[Interpreter, ...] = ()
    usr_layout: UsrLayout = UsrLayout()
    key_files: tuple[KeyFile, ...] = ()
    boot_files_changed: tuple[str, ...] = ()
    boot_settings_in: tuple[str, ...] = ()
    """Files, and folders ending in a slash, in which people change how it boots."""
    history: tuple[ReleaseSeen, ...] = ()
    locale: str = ""
    licence: Licence | None = None
    clusters: tuple[DatabaseCluster, ...] = ()
    """The database clusters that hold data."""
    release_dates: tuple[ReleaseDates, ...] = ()
    """The machine's own copy of the published table of releases."""
    looked_at: LookedAt | None = None
    family: str = ""
    """The name of the family that read it; empty where no family knows its packages."""
    last_boot: LastBoot = LastBoot()
    """For a system that does not run: what it wrote down at its newest boot."""
    image: ImageSystem | None = None
    """What an image system says of itself; None for every other kind."""
    licensed: LicensedSystem | None = None
    """What a licensed system says of itself; None for every other kind."""
    topics: tuple[TopicSeen, ...] = ()
    """The topics of a baseline, where they were asked for."""

    @property
    def is_this_system(self) -> bool:
        """Whether it is the very system that Brave Bridge runs on."""
        return self.kind == "running"

    @property
    def runs(self) -> bool:
        """Whether the system is at work, and not a tree that is only mounted."""
        return self.kind != "tree"

    @property
    def boot_mark(self) -> str:
        """What is another after the next boot; empty where nothing tells of any."""
        return self.boot.id if self.runs else self.last_boot.mark

    @property
    def kernel_that_came_up(self) -> str:
        """The kernel that runs, or of the newest boot that was written down."""
        return self.boot.kernel if self.runs else self.last_boot.kernel

    @property
    def installed(self) -> tuple[InstalledPackage, ...]:
        """The packages that are on the machine."""
        return tuple(package for package in self.packages if package.is_present)

    @property
    def build(self) -> str:
        """What the system calls its build; its point release where it has none."""
        if self.image:
            return self.image.image.build
        if self.licensed:
            return self.licensed.system.build
        return self.identity.build or self.identity.point_release

    @property
    def part(self) -> str:
        """What its parts are called: a package, or a component of a system made as one."""
        return "component" if self.image or self.licensed else "package"

    @property
    def updates(self) -> tuple[Update, ...]:
        """The newer versions that the sources of the present release have."""
        asked_for = {archive.suite for archive in self.archives if archive.only_on_request}
        return pending_updates(self.packages, self.offers, asked_for, self.pins)

    @property
    def broken(self) -> tuple[InstalledPackage, ...]:
        """The packages whose installation did not end well."""
        return tuple(package for package in self.packages if package.is_broken)

    @property
    def held(self) -> tuple[InstalledPackage, ...]:
        """The packages that the administrator keeps from changing."""
        return tuple(p for p in self.packages if p.is_present and p.is_held)

    def of(self, identity: Identity) -> "Facts":
        """The facts with who the machine is."""
        return msgspec.structs.replace(self, identity=identity)

    def standing(self, scale: str) -> Standing:
        """Where the machine stands on a scale, by its own files."""
        identity = self.identity
        if scale == RELEASE:
            return Standing(scale, identity.version_id, identity.codename)
        edition = self.licence.edition if self.licence else identity.edition
        series = ".".join(self.boot.kernel.partition("-")[0].split(".")[:2])
        known = {EDITION: edition, KERNEL: series, PROFILE: identity.profile, DATE: identity.build}
        return Standing(scale, known[scale])

    def evidence_of(self, topic: str) -> Evidence | None:
        """What is known of how a topic was read."""
        return next((e for e in self.evidence if e.topic == topic), None)

    def where(self, topic: str) -> str:
        """Where a topic was read; empty where it was not."""
        found = self.evidence_of(topic)
        return found.where if found and not found.absent else ""

    def values_of(self, topic: str) -> dict[str, str]:
        """What a topic of the baseline had, by names; nothing where it was not read."""
        return next((one.values for one in self.topics if one.name == topic), {})

    def why_not(self, topic: str) -> str:
        """Why a topic could not be read; empty where it was."""
        found = self.evidence_of(topic)
        if found is None:
            return f"no {topic} among the facts"
        return found.absent

    @property
    def for_records(self) -> "Facts":
        """The facts without what a record of them need not keep: config sums, relations, offers."""
        packages = tuple(
            msgspec.structs.replace(package, conffiles={}, depends="", provides="")
            for package in self.packages
        )
        return msgspec.structs.replace(self, packages=packages, offers=(), looked_at=None)

    def has_read(self, entry: SourceEntry) -> bool:
        """Whether the package manager ever read a source, and so told whose it is."""
        return any(self.archive_of(uri, suite) for uri in entry.uris for suite in entry.suites)

    def archive_of(self, uri: str, suite: str) -> ArchiveSeen | None:
        """What was last seen of a source's suite."""
        uri = uri.rstrip("/")
        return next((a for a in self.archives if (a.uri, a.suite) == (uri, suite)), None)

    def sources_of(self, suites: Container[str]) -> list[str]:
        """Where active sources of packages name one of these suites: file, line and suite."""
        return [
            f"{entry.path}:{entry.line} {suite}"
            for entry in self.sources
            if "deb" in entry.types
            for suite in entry.suites
            if suite in suites
        ]

    @property
    def root_type(self) -> str:
        """The file system that the root is on, by what is mounted or by fstab(5)."""
        mounted = self.mount_at("/") if self.runs else None
        named = next((mount for mount in self.expected_mounts if mount.path == "/"), None)
        found = mounted or named
        return found.type if found else ""

    @property
    def own_interpreters(self) -> Iterator[Interpreter]:
        """Those that run scripts of this machine's own: not only what packages have brought."""
        shipped = {path for package in self.installed for path in package.conffiles}
        for one in self.interpreters:
            if users := tuple(path for path in one.users if path not in shipped):
                yield msgspec.structs.replace(one, users=users)

    def mount_at(self, path: str) -> Mount | None:
        """The file system that is mounted at exactly this path."""
        return next((mount for mount in self.mounts if mount.path == path), None)

    def room_at(self, path: str) -> Space | None:
        """Room on the file system that holds a path: the longest prefix decides."""
        holding = [s for s in self.space if s.path == "/" or f"{path}/".startswith(f"{s.path}/")]
        return max(holding, key=lambda space: len(space.path), default=None)
