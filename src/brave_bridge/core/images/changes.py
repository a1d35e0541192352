"""What a profile of a bundle changes on a machine: components, and the drivers of its devices."""

from collections.abc import Iterable, Iterator
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.images.manifest import Component, Manifest
from brave_bridge.core.survey.platform import Device
from brave_bridge.core.versions.deb import version_key

ADDED, UPGRADED, DOWNGRADED, DROPPED, SAME = "added", "upgraded", "downgraded", "dropped", "same"


class InstalledComponent(msgspec.Struct, frozen=True):
    """A component as it is in the slot that runs; ``maker`` is empty for the line's own."""

    name: str
    version: str
    maker: str = ""


class ComponentChange(msgspec.Struct, frozen=True):
    """What becomes of one component; ``maker`` where it is somebody else's than the line's."""

    name: str
    kind: str
    old: str = ""
    new: str = ""
    size: int = 0
    maker: str = ""


class Undriven(msgspec.Struct, frozen=True):
    """A device that works now and would not: the driver that it has now, and who has it then.

    ``profiles`` are those of the bundle that would drive it.
    """

    device: str
    driver: str
    profiles: tuple[str, ...] = ()


def component_changes(
    installed: Iterable[InstalledComponent], components: Iterable[Component]
) -> Iterator[ComponentChange]:
    """What a system's components become, by name; those that stay the same among them."""
    before = {one.name: one for one in installed}
    after = {one.name: one for one in components}
    for name in sorted(before.keys() | after.keys()):
        old, new = before.get(name), after.get(name)
        if new is None and old is not None:
            yield ComponentChange(name, DROPPED, old.version, maker=old.maker)
        elif new is not None and old is None:
            yield ComponentChange(name, ADDED, "", new.version, new.size, new.maker)
        elif new is not None and old is not None:
            kind = _kind(old.version, new.version)
            maker = new.maker or old.maker
            yield ComponentChange(name, kind, old.version, new.version, new.size, maker)


def _kind(old: str, new: str) -> str:
    """By the order of versions in bundles: that of deb-version(7), where ``~`` comes before all."""
    if old == new:
        return SAME
    return UPGRADED if version_key(new) > version_key(old) else DOWNGRADED


def profile_difference(
    manifest: Manifest, one: str, other: str
) -> tuple[tuple[Component, ...], tuple[Component, ...]]:
    """What only the first of two profiles has, and what only the second has."""
    first, second = manifest.of(one), manifest.of(other)
    return (
        tuple(component for component in first if component not in second),
        tuple(component for component in second if component not in first),
    )


def serves(components: Iterable[Component], modalias: str) -> bool:
    """Whether one of the components has a driver for a device."""
    return any(
        fnmatchcase(modalias, pattern)
        for component in components
        for driver in component.drivers
        for pattern in driver.serves
    )


def undriven(manifest: Manifest, profile: str, devices: Iterable[Device]) -> Iterator[Undriven]:
    """The devices with a driver now for which a profile has none.

    Only drivers that the bundle speaks of are judged: one that no profile names is in its kernel.
    """
    wanted = manifest.of(profile)
    for device in devices:
        if not device.driver or serves(wanted, device.modalias):
            continue
        served = [p.name for p in manifest.profiles if serves(manifest.of(p.name), device.modalias)]
        named = any(
            driver.module == device.driver
            for component in manifest.components
            for driver in component.drivers
        )
        if served or named:
            yield Undriven(device.path, device.driver, tuple(served))


def too_old(manifest: Manifest, here: Iterable[InstalledComponent]) -> Iterator[str]:
    """What a system must have newer before it is taken to a bundle, each in a sentence."""
    versions = {one.name: one.version for one in here}
    for name, wanted in sorted(manifest.least.items()):
        have = versions.get(name, "")
        if not have:
            yield f"it needs {name} {wanted} at least, and there is no {name} here"
        elif version_key(have) < version_key(wanted):
            yield f"it needs {name} {wanted} at least, here is {have}"
