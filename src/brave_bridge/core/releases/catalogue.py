"""Release lines: one distribution's releases, the legs between them, and what a leg renames.

A catalogue file is TOML, one line a file; its fields are those of the structs here.
Dates are ISO 8601 days.
"""

import re
from collections.abc import Iterable
from datetime import date
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.apt_sources import Renaming
from brave_bridge.core.formats.distro_info import ReleaseDates
from brave_bridge.core.releases.conditions import (
    KernelSeries,
    KnownDevice,
    KnownIssue,
    LegTask,
    Needs,
    SupportPhase,
)
from brave_bridge.core.releases.standing import RELEASE, SCALES, Standing, scale_of, stop_name


class Release(msgspec.Struct, frozen=True):
    """One release of a line. ``key`` names it on the command line and in records.

    ``source`` and ``checked`` say where its dates come from and when that was looked up;
    where they are empty, the line's hold. ``brings`` are reasons to go there, in words.
    """

    key: str
    version: str
    codename: str
    suite: str = ""
    released: date | None = None
    support_ends: date | None = None
    long_term: bool = False
    kernel: str = ""
    version_id: str = ""
    brings: tuple[str, ...] = ()
    needs: Needs = Needs()
    knows: tuple[KnownDevice, ...] = ()
    source: str = ""
    checked: date | None = None
    phases: tuple[SupportPhase, ...] = ()
    """The stretches of its support in their order, where they are told apart."""
    bases: tuple[str, ...] = ()
    """Of a product: the keys of the releases of its base that it stands on; empty for all."""

    def phase(self, today: date) -> SupportPhase | None:
        """The stretch of its support that a day is in; None behind all, or where none is told."""
        return next((phase for phase in self.phases if today <= phase.ends), None)

    def named(self, patterns: Iterable[str]) -> tuple[str, ...]:
        """Names of suites that are given with ``{codename}`` for the release's own."""
        return tuple(p.replace("{codename}", self.suite or self.codename) for p in patterns)

    def is_out(self, today: date) -> bool:
        """Whether it has been published by then."""
        return self.released is not None and self.released <= today

    def support_days(self, today: date) -> int | None:
        """Days of support left; negative when past; None when no end is known."""
        return (self.support_ends - today).days if self.support_ends else None

    def is_closed(self, today: date) -> bool:
        """Whether its support is known to have ended: nothing new comes any more."""
        days = self.support_days(today)
        return days is not None and days < 0

    @property
    def title(self) -> str:
        """As a person says it: ``12 bookworm``."""
        return f"{self.version} {self.codename}".strip()


class SplitComponent(msgspec.Struct, frozen=True):
    """A component whose packages partly moved into another: both are needed afterwards."""

    component: str
    also: str


class Channel(msgspec.Struct, frozen=True):
    """A component that can be had in several kinds, of which a machine takes one.

    ``choices`` maps the component of each kind to what it is, the usual one first.
    """

    component: str
    choices: dict[str, str]


class Successor(msgspec.Struct, frozen=True):
    """A tool that another one succeeds: both are there, and which one stays is asked."""

    tool: str
    by: str
    text: str


class Keyring(msgspec.Struct, frozen=True):
    """The package that brings a release's keys, and from which version on it has them."""

    package: str
    at_least: str


class MovedArchive(msgspec.Struct, frozen=True):
    """Where releases go when their support has ended, and where the living ones are.

    Both are the beginnings of addresses.
    """

    ended: str
    live: str


class Product(msgspec.Struct, frozen=True):
    """What makes a line that of a product, a machine's other identity beside its base.

    ``on`` is the id of the base's line; the first of ``packages`` that is installed says by its
    version which release of the product a machine has.
    """

    on: str
    packages: tuple[str, ...]


class LegRule(msgspec.Struct, frozen=True):
    """One supported move, with what it renames beyond the codename.

    ``at_least`` is the version within the start's release that a machine must have reached;
    ``editions`` and ``architectures`` are those it is for, empty where it is for all.
    """

    start: str
    end: str
    at_least: str = ""
    editions: tuple[str, ...] = ()
    architectures: tuple[str, ...] = ()
    suites: dict[str, str] = {}
    addresses: dict[str, str] = {}
    components: tuple[SplitComponent, ...] = ()
    channels: tuple[Channel, ...] = ()
    successors: tuple[Successor, ...] = ()
    keyring: Keyring | None = None
    notes: tuple[str, ...] = ()
    issues: tuple[KnownIssue, ...] = ()
    tasks: tuple[LegTask, ...] = ()
    page: str = ""
    with_base: bool = False
    """Of a product: it is no leg of its own, a leg of the base brings it."""


class TrackSetting(msgspec.Struct, frozen=True):
    """A system's own setting of which releases are offered: a line ``key = value`` in a file."""

    path: str
    key: str
    long_term: str
    every: str


class Scale(msgspec.Struct, frozen=True):
    """What else than a release a line's machines stand on: ``kind`` is one of SCALES.

    ``stops`` are what can be stood on, and ``legs`` the supported moves between them.
    """

    kind: str
    rule: str
    stops: tuple[Release, ...]
    legs: tuple[LegRule, ...] = ()


class ReleaseLine(msgspec.Struct, frozen=True):
    """One distribution's sequence of releases.

    ``scales`` are those beside the releases. ``on`` shows the line on one of them, as a line
    whose releases are its stops.

    ``way_back_days`` is after how many days the system itself ends a way back; 0: never.
    ``security_suites`` are the suites that fixes of security faults come by, ``trial_suites``
    those of what is still on trial, both with ``{codename}`` for the release's.
    """

    id: str
    name: str
    family: str
    os_ids: tuple[str, ...]
    rule: str
    releases: tuple[Release, ...]
    legs: tuple[LegRule, ...] = ()
    origin: str = ""
    archive_paths: tuple[str, ...] = ()
    security_suites: tuple[str, ...] = ()
    trial_suites: tuple[str, ...] = ()
    checked: date | None = None
    source: str = ""
    rolling: bool = False
    kernels: tuple[KernelSeries, ...] = ()
    moved: tuple[MovedArchive, ...] = ()
    way_back_days: int = 0
    scales: tuple[Scale, ...] = ()
    track_setting: TrackSetting | None = None
    product: Product | None = None
    """Where it is the line of a product: its releases are the stops of a scale by its id."""

    @property
    def scale(self) -> str:
        """The scale that is shown."""
        return scale_of(self.releases[0].key) if self.releases else RELEASE

    def on(self, kind: str) -> "ReleaseLine":
        """The line on one scale; LookupError where it has none of that kind."""
        if kind == self.scale:
            return self
        found = next((scale for scale in self.scales if scale.kind == kind), None)
        if found is None:
            raise LookupError(f"{self.name} has no scale {kind}")
        return msgspec.structs.replace(
            self,
            rule=found.rule,
            releases=tuple(
                msgspec.structs.replace(stop, key=stop_name(kind, stop.key)) for stop in found.stops
            ),
            legs=tuple(
                msgspec.structs.replace(
                    rule, start=stop_name(kind, rule.start), end=stop_name(kind, rule.end)
                )
                for rule in found.legs
            ),
        )

    @property
    def as_scale(self) -> "ReleaseLine":
        """A product's line with its id in the keys of its releases; any other as it is."""
        if self.product is None or self.scale == self.id:
            return self
        return msgspec.structs.replace(
            self,
            releases=tuple(
                msgspec.structs.replace(release, key=stop_name(self.id, release.key))
                for release in self.releases
            ),
            legs=tuple(
                msgspec.structs.replace(
                    rule, start=stop_name(self.id, rule.start), end=stop_name(self.id, rule.end)
                )
                for rule in self.legs
            ),
        )

    @property
    def kinds(self) -> tuple[str, ...]:
        """The scales on which its machines stand."""
        return (RELEASE, *(scale.kind for scale in self.scales))

    def stop_at(self, standing: Standing) -> Release | None:
        """The stop of the shown scale on which a machine stands."""
        if self.scale == RELEASE:
            return self.identify(standing.value, standing.name)
        return next((stop for stop in self.releases if is_at(stop, standing)), None)

    def release(self, name: str) -> Release | None:
        """The stop with that key, version or codename; the latest where several share it.

        A name like ``edition:crew`` is looked for on its own scale.
        """
        if scale_of(name) != self.scale and scale_of(name) in self.kinds:
            return self.on(scale_of(name)).release(name)
        matching = [r for r in self.releases if name in (r.key, r.version)]
        matching = matching or [r for r in self.releases if r.codename == name]
        return matching[-1] if matching else None

    def identify(self, version_id: str, codename: str) -> Release | None:
        """The release that an os-release file's VERSION_ID and VERSION_CODENAME describe."""
        for release in self.releases:
            if version_id and version_id in (release.version_id, release.version):
                return release
        if self.rolling and self.releases:
            return self.releases[0]
        by_name = (r for r in self.releases if codename and r.codename == codename)
        # A major release's minor ones are not listed: 9.4 is release 9.
        by_major = (r for r in self.releases if version_id.startswith(f"{r.version}."))
        return next(by_name, None) or next(by_major, None)

    def first_to_drive(self, modalias: str, here: Release | None) -> tuple[Release, str] | None:
        """The first release after ``here`` that drives a device, and what that is."""
        if here not in self.releases:
            return None
        for release in self.releases[self.releases.index(here) + 1 :]:
            for device in release.knows:
                if fnmatchcase(modalias, device.modalias):
                    return release, device.what
        return None

    def kernel_ends(self, series: str) -> date | None:
        """The day on which a kernel series gets its last fixes."""
        return next((kernel.ends for kernel in self.kernels if kernel.series == series), None)

    def with_dates(self, rows: Iterable[ReleaseDates], where: str) -> "ReleaseLine":
        """The line with the dates that a machine's own table has, where it has any."""
        dates = {row.series: row for row in rows}
        return msgspec.structs.replace(
            self, releases=tuple(_dated(r, dates.get(r.codename), where) for r in self.releases)
        )


def _dated(release: Release, dates: ReleaseDates | None, where: str) -> Release:
    if dates is None or dates.support_ends is None:
        return release
    return msgspec.structs.replace(
        release,
        released=dates.released or release.released,
        support_ends=dates.support_ends,
        source=where,
    )


def is_at(stop: Release, standing: Standing) -> bool:
    """Whether a machine that stands so is at a stop, by any name of it."""
    if standing.scale == RELEASE:
        return stop.codename == standing.name and standing.value in (stop.version, stop.version_id)
    known = {stop.version, stop.version_id, stop.key.rpartition(":")[2]} - {""}
    value = standing.value.casefold()
    is_of_product = standing.scale not in SCALES
    # A product's own version has more parts than its release: 7.2-1 is of release 7.
    return any(
        value == name.casefold() or (is_of_product and value.startswith(f"{name.casefold()}."))
        for name in known
    )


class Leg(msgspec.Struct, frozen=True):
    """One supported move of one standing: between two releases of a line, or two editions."""

    line: str
    start: Release
    end: Release
    origin: str = ""
    archive_paths: tuple[str, ...] = ()
    suites: dict[str, str] = {}
    addresses: dict[str, str] = {}
    components: tuple[SplitComponent, ...] = ()
    channels: tuple[Channel, ...] = ()
    successors: tuple[Successor, ...] = ()
    keyring: Keyring | None = None
    moved: tuple[MovedArchive, ...] = ()
    notes: tuple[str, ...] = ()
    issues: tuple[KnownIssue, ...] = ()
    tasks: tuple[LegTask, ...] = ()
    page: str = ""
    product: Product | None = None
    """Where it is a product's leg: what shows where a machine stands."""

    @property
    def scale(self) -> str:
        """The scale on which it moves a machine."""
        return scale_of(self.start.key)

    def starts_at(self, standing: Standing) -> bool:
        """Whether a machine that stands so can begin it."""
        return is_at(self.start, standing)

    def ends_at(self, standing: Standing) -> bool:
        """Whether a machine that stands so has it behind itself."""
        return is_at(self.end, standing)

    def may_be_part_way_at(self, standing: Standing) -> bool:
        """Whether a machine that stands so may have begun it.

        Of a release the codename alone decides: part-way its version may be missing.
        """
        if self.scale == RELEASE:
            return standing.name in (self.start.codename, self.end.codename)
        return self.starts_at(standing) or self.ends_at(standing)

    @property
    def key(self) -> str:
        """What names it in records: ``debian:bullseye:bookworm``."""
        return f"{self.line}:{self.start.key}:{self.end.key}"

    @property
    def title(self) -> str:
        """As a person says it: ``11 bullseye to 12 bookworm``."""
        return f"{self.start.title} to {self.end.title}"

    def renaming(self) -> Renaming:
        """What this leg changes in the words of package sources."""
        old = re.escape(self.start.suite or self.start.codename)
        pattern = re.compile(rf"^{old}(?=$|[-/])")
        new = self.end.suite or self.end.codename

        def suite(word: str) -> str:
            return self.suites.get(word) or pattern.sub(new, word)

        def components(words: tuple[str, ...]) -> tuple[str, ...]:
            return words + tuple(s.also for s in self.components if s.component in words)

        def uri(word: str) -> str:
            for before, after in self.addresses.items():
                if word.startswith(before):
                    return after + word.removeprefix(before)
            for archive in self.moved:
                if word.startswith(archive.ended):
                    return archive.live + word.removeprefix(archive.ended)
            return word

        return Renaming(suites=suite, components=components, uris=uri)


def read_line(text: str) -> ReleaseLine:
    """A release line from its TOML text; msgspec.ValidationError where a field is wrong."""
    return msgspec.toml.decode(text, type=ReleaseLine).as_scale


def leg_of(line: ReleaseLine, rule: LegRule) -> Leg:
    """The leg that a rule of the line allows."""
    start, end = line.release(rule.start), line.release(rule.end)
    if start is None or end is None:
        raise ValueError(f"{line.id}: the leg {rule.start} to {rule.end} names no release")
    return Leg(
        line=line.id,
        start=start,
        end=end,
        origin=line.origin,
        archive_paths=line.archive_paths,
        suites=rule.suites,
        addresses=rule.addresses,
        components=rule.components,
        channels=rule.channels,
        successors=rule.successors,
        keyring=rule.keyring,
        moved=line.moved,
        notes=rule.notes,
        issues=rule.issues,
        tasks=rule.tasks,
        page=rule.page,
        product=line.product,
    )
