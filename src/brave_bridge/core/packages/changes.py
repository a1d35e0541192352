"""The change list of a leg: what is upgraded, new, removed and kept back, and why."""

from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.packages.levels import LevelResult


class PackageChange(msgspec.Struct, frozen=True, rename={"old": "from", "new": "to"}):
    """One package's change; an absent version is empty. Sizes in bytes.

    ``by_hand``: somebody asked for the package, it did not come with another. ``base``: it is
    part of the base system, or needed by it, so that nobody asked for it in particular.
    ``successor``: the package that comes in the place of one that goes, as it says of itself.
    """

    name: str
    old: str
    new: str
    reason: str
    download_bytes: int = 0
    disk_bytes: int = 0
    section: str = ""
    major: bool = False
    by_hand: bool = False
    base: bool = False
    successor: str = ""

    @property
    def versions(self) -> str:
        """What it was and what it becomes."""
        return f"{self.old} → {self.new}".strip(" →")

    @property
    def is_chosen(self) -> bool:
        """Whether the person wanted it in particular."""
        return self.by_hand and not self.base


class Price(msgspec.Struct, frozen=True):
    """What is gained and lost when one package is let go of.

    ``freed`` would be upgraded then, and are kept back now; ``lost`` would go away, and stay now.
    """

    slot: str
    freed: tuple[str, ...]
    lost: tuple[str, ...]

    @property
    def words(self) -> str:
        """It as a question of one line."""
        others = len(self.lost) - 1
        more = f" and {others} more would go" if others > 0 else ""
        return f"keeping {self.slot} keeps {len(self.freed)} back; without it they go on{more}"


class ServiceChange(msgspec.Struct, frozen=True):
    """A service unit that a changing package ships: it is restarted, or stopped for good."""

    unit: str
    package: str


class Skipping(msgspec.Struct, frozen=True, kw_only=True):
    """What a jump straight to a leg's end would do to this machine, beside the steps there.

    ``sentence`` says it to somebody who asks why not straight; the lists are package names,
    ``unmet`` and ``guards`` sentences. See ``Comparison`` of the planning room.
    """

    sentence: str
    unmet: tuple[str, ...] = ()
    left_at_old: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()
    never_installed: tuple[str, ...] = ()
    guards: tuple[str, ...] = ()
    mixed_base: tuple[str, ...] = ()
    migrations: tuple[str, ...] = ()
    """What scripts of the releases between do to config files that are changed here."""


class Succession(msgspec.Struct, frozen=True):
    """A family of packages by its version (``php7.4``), and the next one that a release has.

    ``packages`` are those of it that go or stay without a source, each with its successor.
    """

    old: str
    new: str
    packages: tuple[tuple[str, str], ...]

    @property
    def coming(self) -> frozenset[str]:
        """The successors."""
        return frozenset(name for _, name in self.packages)


class PackageChanges(msgspec.Struct, frozen=True):
    """All that happens to packages, as one of two: what is, and what shall be.

    ``first_stage`` are those that can go on while nothing is removed and nothing new comes.
    ``pinned`` stay because somebody set that. ``obsolete`` stay though no source has them;
    ``ahead`` are newer here than any source has them. ``levels`` say how well each preference was
    met, ``prices`` what keeping a package costs.
    ``skipping``, for a leg after others, is what going straight to its end would leave out.
    ``services`` are those of the packages that change, ``successions`` the families of which the
    next one does not come by itself.
    ``unsound`` is what does not fit together already before, which the plan mends;
    ``unchanged``, where a plan is about to be carried out, what stays in which version.
    """

    upgraded: tuple[PackageChange, ...] = ()
    new: tuple[PackageChange, ...] = ()
    removed: tuple[PackageChange, ...] = ()
    kept_back: tuple[PackageChange, ...] = ()
    first_stage: tuple[str, ...] = ()
    obsolete: tuple[str, ...] = ()
    ahead: tuple[PackageChange, ...] = ()
    levels: tuple[LevelResult, ...] = ()
    prices: tuple[Price, ...] = ()
    skipping: Skipping | None = None
    unsound: tuple[str, ...] = ()
    services: tuple[ServiceChange, ...] = ()
    unchanged: dict[str, str] = {}
    pinned: tuple[PackageChange, ...] = ()
    successions: tuple[Succession, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.arriving or self.removed)

    @property
    def arriving(self) -> tuple[PackageChange, ...]:
        """The packages of which a version comes."""
        return self.upgraded + self.new

    @property
    def count(self) -> int:
        """How many packages change."""
        return len(self.arriving) + len(self.removed)

    @property
    def lost(self) -> tuple[PackageChange, ...]:
        """What goes away and nothing takes the place of."""
        return tuple(change for change in self.removed if not change.successor)

    @property
    def succeeded(self) -> tuple[PackageChange, ...]:
        """What gives way to another package that takes its place."""
        return tuple(change for change in self.removed if change.successor)

    @property
    def download_bytes(self) -> int:
        """What has to be fetched."""
        return sum(change.download_bytes for change in self.arriving)

    @property
    def disk_bytes(self) -> int:
        """What the system grows by, negative where it shrinks."""
        return sum(change.disk_bytes for change in self.arriving + self.removed)

    @property
    def jumps(self) -> tuple[PackageChange, ...]:
        """The upgrades that go to another major version."""
        return tuple(change for change in self.upgraded if change.major)


def difference(
    approved: PackageChanges, now: PackageChanges, then_words: str = "in the plan it"
) -> Iterator[str]:
    """What ``now`` does other than was approved, a line for each package."""
    before, after = _versions(approved), _versions(now)
    for name in sorted(before.keys() | after.keys()):
        then, here = before.get(name), after.get(name)
        if here != then:
            yield f"{name} {_words(here)}; {then_words} {_words(then)}"


def difference_in_the_end(
    approved: PackageChanges, now: PackageChanges, installed: Iterable[InstalledPackage]
) -> Iterator[str]:
    """What ``now``, from what is installed, comes to other than was approved.

    For a leg of which a part is done: what is there already needs no change any more.
    """
    there = versions_by_name(installed)
    before, after = _versions(approved), _versions(now)
    for name in sorted(before.keys() | after.keys()):
        then, here = before.get(name), after.get(name, there.get(name, ""))
        if here != then:
            yield f"{name} {_words(here)}; in the plan it {_words(then)}"


def with_what_stays(
    changes: PackageChanges, installed: Iterable[InstalledPackage], native: str
) -> PackageChanges:
    """The changes with the installed packages that they leave alone as ``unchanged``.

    ``native`` is the machine's architecture: a package of another is named with it.
    """
    stays = {
        package.name
        if package.architecture in (native, "all")
        else f"{package.name}:{package.architecture}": package.version
        for package in installed
        if package.is_present
    }
    for change in changes.arriving + changes.removed:
        stays.pop(change.name, None)
    return msgspec.structs.replace(changes, unchanged=stays)


def versions_by_name(installed: Iterable[InstalledPackage]) -> dict[str, str]:
    """The version of each package, by its name and by name and architecture."""
    found: dict[str, str] = {}
    for package in installed:
        found[f"{package.name}:{package.architecture}"] = package.version
        found.setdefault(package.name, package.version)
    return found


def _versions(changes: PackageChanges) -> dict[str, str]:
    return {change.name: change.new for change in changes.arriving + changes.removed}


def _words(version: str | None) -> str:
    if version is None:
        return "is not touched"
    return f"comes to {version}" if version else "goes away"
