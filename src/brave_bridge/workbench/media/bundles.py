"""Image bundles at the desk: who signed one, what it has, and what it would change here."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.images.changes import (
    SAME,
    ComponentChange,
    Undriven,
    component_changes,
    profile_difference,
    too_old,
    undriven,
)
from brave_bridge.core.images.manifest import Issue, Manifest, ManifestFault
from brave_bridge.core.images.system import ImageSystem
from brave_bridge.core.survey.facts import Facts
from brave_bridge.runner.performing.bundles import read_bundle
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused


class ProfileSeen(msgspec.Struct, frozen=True):
    """A profile: how many components it has, their bytes, and what only it has beside another."""

    name: str
    about: str
    components: int
    size_bytes: int
    only_here: tuple[str, ...] = ()


class BundleSeen(msgspec.Struct, frozen=True):
    """A bundle that was read to its end, and what a profile of it would change on this machine."""

    path: str
    version: str
    build: str
    serial: int
    made: str
    signed_by: tuple[str, ...]
    profiles: tuple[ProfileSeen, ...]
    profile: str
    changes: tuple[ComponentChange, ...]
    undriven: tuple[Undriven, ...]
    issues: tuple[Issue, ...]
    stops: tuple[str, ...]
    """Why it cannot be installed here, in sentences; empty where nothing was found."""


def bundles_here(desk: Desk) -> tuple[str, ...]:
    """The bundles on the machine's own storage."""
    return _image_of(desk.facts(), "looking for bundles").bundles


def look_into(desk: Desk, path: str, profile: str = "") -> BundleSeen:
    """Read a bundle to its end, and hold a profile of it (the machine's own) against the machine.

    ``path`` is on the machine, or here where the machine has no such file. MachineError where
    it is no bundle that may be believed.
    """
    attempted = f"reading the bundle {path}"
    facts = desk.facts()
    system = _image_of(facts, attempted)
    serial = system.slots.serial
    announced = read_bundle(desk.machine, path, facts.identity.os_id, serial)
    manifest = announced.manifest
    wanted = profile or system.image.profile
    try:
        components = manifest.of(wanted)
    except ManifestFault as fault:
        raise Refused(attempted, str(fault)) from fault
    changes = tuple(component_changes(system.image.components, components))
    lost = tuple(undriven(manifest, wanted, facts.hardware.devices))
    return BundleSeen(
        path=path,
        version=manifest.version,
        build=manifest.build,
        serial=manifest.serial,
        made=manifest.made,
        signed_by=announced.signed_by,
        profiles=tuple(_profiles(manifest, wanted)),
        profile=wanted,
        changes=tuple(change for change in changes if change.kind != SAME),
        undriven=lost,
        issues=manifest.issues,
        stops=(*too_old(manifest, system.image.components), *_stops(manifest, wanted, lost)),
    )


def _image_of(facts: Facts, attempted: str) -> ImageSystem:
    if facts.image is None:
        raise Refused(attempted, f"{facts.machine} is no system of images")
    return facts.image


def _profiles(manifest: Manifest, wanted: str) -> Iterator[ProfileSeen]:
    for profile in manifest.profiles:
        _, more = profile_difference(manifest, wanted, profile.name)
        yield ProfileSeen(
            profile.name,
            profile.about,
            len(profile.components),
            manifest.size_of(profile.name),
            tuple(component.name for component in more),
        )


def _stops(manifest: Manifest, wanted: str, lost: tuple[Undriven, ...]) -> Iterator[str]:
    for one in lost:
        others = [name for name in one.profiles if name != wanted]
        who = f"profile {' and '.join(others)} has one" if others else "no profile has one"
        yield f"{one.device} is driven by {one.driver}, and profile {wanted} has none: {who}"
