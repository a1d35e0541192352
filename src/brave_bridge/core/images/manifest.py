"""What an image bundle says of itself: components, profiles, drivers, conditions, known issues.

The manifest is JSON (RFC 8259), signed as it stands. docs/bundles.md has the format; what is not
as that says is refused whole: a bundle is either understood or not installed.
"""

import re
from collections.abc import Iterable

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.sums import SHA256

MANIFEST, SIGNATURE = "manifest.json", "manifest.json.asc"
"""The first two members of a bundle."""

LARGEST_MANIFEST = 4_000_000
LARGEST_BUNDLE = 64 << 30
"""Bytes of all components together that are taken at most."""

MOST_COMPONENTS, MOST_PATTERNS, LONGEST_PATTERN, MOST_ISSUES = 2_000, 100_000, 200, 200
SCHEMA = 1
_NAME = re.compile(r"[a-z0-9][a-z0-9._+-]{0,79}")
VERSION = re.compile(r"[A-Za-z0-9][A-Za-z0-9.:~+-]{0,79}")


class ManifestFault(ValueError):
    """The manifest is not what a bundle has: why, in words."""


class Driver(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A driver of a component, and the devices that it serves, as patterns of their modaliases."""

    module: str
    serves: tuple[str, ...]


class Component(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One component: a file of the bundle. ``size`` in bytes; no ``maker``: the line's own."""

    name: str
    version: str
    size: int
    sha256: str
    about: str = ""
    maker: str = ""
    drivers: tuple[Driver, ...] = ()

    @property
    def member(self) -> str:
        """Its file in the bundle."""
        return f"components/{self.name}"


class Profile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A choice of components that makes a whole system."""

    name: str
    about: str
    components: tuple[str, ...]


class Issue(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something that its makers know to be wrong, and what helps.

    ``by_tool``: the system's own tool applies the cure; else it is a person's to do.
    """

    id: str
    title: str
    cure: str = ""
    by_tool: bool = False


class Manifest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A bundle. ``serial`` grows with every one that is made of a line, also where versions do not.

    ``build`` is what the system calls itself afterwards. ``least`` are the versions that the
    components of a system must have to be taken to it, by their names.
    """

    schema: int
    line: str
    version: str
    build: str
    serial: int
    made: str
    components: tuple[Component, ...]
    profiles: tuple[Profile, ...]
    least: dict[str, str] = {}
    issues: tuple[Issue, ...] = ()

    def component(self, name: str) -> Component:
        """A component by its name."""
        return next(one for one in self.components if one.name == name)

    def profile(self, name: str) -> Profile:
        """A profile by its name; ManifestFault where the bundle has none such."""
        found = next((one for one in self.profiles if one.name == name), None)
        if found is None:
            known = ", ".join(one.name for one in self.profiles)
            raise ManifestFault(f"it has no profile {name}; it has {known}")
        return found

    def of(self, profile: str) -> tuple[Component, ...]:
        """The components of a profile, in its own order."""
        return tuple(self.component(name) for name in self.profile(profile).components)

    def size_of(self, profile: str) -> int:
        """The bytes of a profile's components."""
        return sum(component.size for component in self.of(profile))


def read_manifest(content: bytes) -> Manifest:
    """A manifest; ManifestFault where anything of it is not as it must be."""
    if len(content) > LARGEST_MANIFEST:
        raise ManifestFault(f"it is longer than {LARGEST_MANIFEST} bytes")
    try:
        manifest = decode_json(content, Manifest)
    except msgspec.DecodeError as error:
        raise ManifestFault(f"it is no manifest: {error}") from error
    for fault in _faults(manifest):
        raise ManifestFault(fault)
    return manifest


def _faults(manifest: Manifest) -> Iterable[str]:
    """What is wrong with a manifest whose form is right; the first is enough."""
    if manifest.schema != SCHEMA:
        yield f"it is of format {manifest.schema}; this program reads {SCHEMA}"
    if manifest.serial < 1:
        yield f"its serial is {manifest.serial}"
    names = [component.name for component in manifest.components]
    if not 0 < len(names) <= MOST_COMPONENTS:
        yield f"it has {len(names)} components"
    if len(set(names)) < len(names):
        yield "a component is in it twice"
    for word in (manifest.line, *names, *(profile.name for profile in manifest.profiles)):
        if not _NAME.fullmatch(word):
            yield f"no name: {word[:80]!r}"
    for word in (manifest.version, manifest.build, *(c.version for c in manifest.components)):
        if not VERSION.fullmatch(word):
            yield f"no version: {word[:80]!r}"
    for component in manifest.components:
        if component.size < 0 or not SHA256.fullmatch(component.sha256):
            yield f"{component.name} has no size and sum that could be true"
    if sum(component.size for component in manifest.components) > LARGEST_BUNDLE:
        yield f"its components are larger than {LARGEST_BUNDLE >> 30} GiB"
    patterns = [p for c in manifest.components for d in c.drivers for p in d.serves]
    if len(patterns) > MOST_PATTERNS or any(len(p) > LONGEST_PATTERN for p in patterns):
        yield "its drivers serve more than devices are called"
    ids = [issue.id for issue in manifest.issues]
    if len(ids) > MOST_ISSUES or len(set(ids)) < len(ids):
        yield "an issue is in it twice, or there are too many"
    for word in ids:
        if not VERSION.fullmatch(word):
            yield f"no name of an issue: {word[:80]!r}"
    if not manifest.profiles:
        yield "it has no profile"
    for profile in manifest.profiles:
        if lost := set(profile.components) - set(names):
            yield f"profile {profile.name} wants {min(lost)[:80]!r}, which is not in it"
        if len(set(profile.components)) < len(profile.components) or not profile.components:
            yield f"profile {profile.name} has nothing, or something twice"
