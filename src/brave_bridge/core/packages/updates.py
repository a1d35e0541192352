"""Versions that the present release's sources have, held against what is installed."""

from collections.abc import Collection, Iterable
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.versions.deb import version_key


class Offer(msgspec.Struct, frozen=True):
    """A version of an installed package that a source has. ``suite`` tells which source."""

    name: str
    version: str
    suite: str
    origin: str = ""
    download_bytes: int = 0

    @property
    def is_security(self) -> bool:
        """Whether its source calls itself one of security fixes."""
        return "security" in self.suite or "security" in self.origin.lower()


class Update(msgspec.Struct, frozen=True):
    """A newer version of an installed package within the present release."""

    name: str
    old: str
    new: str
    download_bytes: int = 0
    security: bool = False


class Outlook(msgspec.Struct, frozen=True):
    """What the package manager says it would do to bring the present release up to date."""

    updates: tuple[Update, ...] = ()
    new: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    kept_back: tuple[str, ...] = ()

    @property
    def changes_anything(self) -> bool:
        """Whether there is anything to do."""
        return bool(self.updates or self.new or self.removed)


_AS_USUAL = 500
"""The priority of what sources have by themselves (apt_preferences(5))."""


def holds_back(pin: Pin, package: str) -> bool:
    """Whether a pin keeps a package at certain versions, before others that sources have."""
    return (
        pin.is_for_a_version
        and pin.priority > _AS_USUAL
        and any(fnmatchcase(package, pattern) for pattern in pin.packages.split())
    )


def _is_kept_from(holding: Iterable[Pin], offer: Offer) -> bool:
    """Whether the first pin for its package keeps it at another version."""
    pin = next((pin for pin in holding if holds_back(pin, offer.name)), None)
    return pin is not None and not fnmatchcase(offer.version, pin.value)


def pending_updates(
    packages: Iterable[InstalledPackage],
    offers: Iterable[Offer],
    kept_from: Collection[str] = (),
    pins: Iterable[Pin] = (),
) -> tuple[Update, ...]:
    """The installed packages of which a source has a newer version, security ones first.

    Held packages are left out; so are suites in ``kept_from``, whose versions are only taken
    where they are asked for, and versions other than those that a pin keeps a package at.
    """
    holding = [pin for pin in pins if pin.is_for_a_version and pin.priority > _AS_USUAL]
    newest: dict[str, Offer] = {}
    for offer in offers:
        known = newest.get(offer.name)
        if (
            offer.suite not in kept_from
            and not _is_kept_from(holding, offer)
            and (known is None or version_key(offer.version) > version_key(known.version))
        ):
            newest[offer.name] = offer
    found = []
    for package in packages:
        offer = newest.get(package.name)
        if offer is None or not package.is_present or package.is_held:
            continue
        if version_key(offer.version) > version_key(package.version):
            found.append(
                Update(
                    name=package.name,
                    old=package.version,
                    new=offer.version,
                    download_bytes=offer.download_bytes,
                    security=offer.is_security,
                )
            )
    return tuple(sorted(found, key=lambda update: (not update.security, update.name)))
